"""The board map and what is drawn on it."""
