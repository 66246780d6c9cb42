"""Nuvlo: a bench companion for people who assemble music and audio electronics from kits."""

__version__ = "0.1.0"
