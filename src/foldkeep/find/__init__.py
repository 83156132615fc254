"""Questions put to the stock, one module a question."""

from .details import Details, KnownCopy, details
from .duplicates import Duplicates, Overview, Question, Totals, duplicates
from .folders import FolderFacts, FolderMatch, Relation, compare_folders
from .looking import Look, look

__all__ = [
    "duplicates",
    "Duplicates",
    "Question",
    "Overview",
    "Totals",
    "compare_folders",
    "FolderMatch",
    "FolderFacts",
    "Relation",
    "details",
    "Details",
    "KnownCopy",
    "look",
    "Look",
]
