"""Everything printed."""
