"""Any parts list in: whatever its headings, separators, encoding and habits; every line of it accounted for."""

from nuvlo.files.parts_list.columns import MEANINGS
from nuvlo.files.parts_list.reader import ListedPart, PartsList, Unread, read_parts_list
from nuvlo.files.parts_list.writer import bom_csv

__all__ = ["MEANINGS", "ListedPart", "PartsList", "Unread", "bom_csv", "read_parts_list"]
