"""Netlist → equations → solutions, always for a whole ensemble at once."""
