"""Builds, sessions and what each command does to them; the only door the faces use. Imports nothing here: SQLAlchemy must not load before the first paint."""
