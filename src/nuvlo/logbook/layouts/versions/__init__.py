"""One step a layout."""
