"""Choosing which copies stay, and the dockets that propose it."""

from .choose import Chooser
from .docket import COLUMNS, read_docket, rewrite_docket, write_docket
from .listed import listed_rows
from .names import copy_marks, looks_like_a_copy
from .orphaned import orphan_rows
from .propose import Proposal, propose
from .review import Review
from .rules import DEFAULT_RULES, meaning, real_folder
from .sheet import SheetCopy, SheetSet, sheet_sets
from .wishes import Wishes

__all__ = [
    "propose",
    "Proposal",
    "Chooser",
    "Wishes",
    "DEFAULT_RULES",
    "meaning",
    "real_folder",
    "copy_marks",
    "looks_like_a_copy",
    "COLUMNS",
    "read_docket",
    "listed_rows",
    "orphan_rows",
    "write_docket",
    "rewrite_docket",
    "Review",
    "SheetSet",
    "SheetCopy",
    "sheet_sets",
]
