"""Registered types: what a builder knows of one once it is named. Data in ``types/``, a row each."""

from nuvlo.catalogue.marks import marks, printed
from nuvlo.catalogue.table import find, named, nearest, types
from nuvlo.catalogue.type import Pin, Published, Type, TypeSpread

__all__ = ["Pin", "Published", "Type", "TypeSpread", "find", "marks", "named", "nearest", "printed", "types"]
