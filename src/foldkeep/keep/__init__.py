"""Choosing which copies stay, and the dockets that propose it."""

from .aside import leaving_aside
from .choose import Chooser
from .docket import COLUMNS, current_rows, read_docket, rewrite_docket, write_docket
from .dockets.alike import alike_rows
from .dockets.caches import Derived, cache_rows, derived_again
from .dockets.listed import listed_rows
from .dockets.orphans import orphan_rows
from .dockets.projects import PROJECT_FOLDER, project_rows
from .keep_options import Wishes
from .propose import Proposal, propose, propose_for
from .review import Review
from .rules import meaning, real_folder
from .sheet import SheetCopy, SheetSet, sheet_sets

__all__ = [
    "leaving_aside",
    "propose",
    "propose_for",
    "Proposal",
    "Chooser",
    "Wishes",
    "meaning",
    "real_folder",
    "COLUMNS",
    "read_docket",
    "current_rows",
    "alike_rows",
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
