"""What people hand us: kit folders, tables, parts lists, drawers, recipes, manuals. Reads and checks them."""
