"""The window. Mirrors ``stages/`` name for name; all it knows of a build comes through the workshop."""
