"""How parts are marked: bands, codes, letters, and what is printed beside them; written and read."""
