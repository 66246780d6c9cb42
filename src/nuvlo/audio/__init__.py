"""Sweeps and weighting: what is heard, as numbers."""
