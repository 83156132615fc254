"""Choosing which copies stay, and the dockets that propose it."""

from .choose import Chooser
from .docket import COLUMNS, current_rows, read_docket, rewrite_docket, write_docket
from .listed import listed_rows
from .orphaned import orphan_rows
from .projects import PROJECT_FOLDER, project_rows
from .propose import Proposal, propose
from .regenerable import Derived, cache_rows, derived_again
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
    "COLUMNS",
    "read_docket",
    "current_rows",
    "listed_rows",
    "orphan_rows",
    "cache_rows",
    "derived_again",
    "Derived",
    "project_rows",
    "PROJECT_FOLDER",
    "write_docket",
    "rewrite_docket",
    "Review",
    "SheetSet",
    "SheetCopy",
    "sheet_sets",
]
