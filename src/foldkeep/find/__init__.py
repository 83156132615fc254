"""Questions put to the stock, one module a question."""

from .duplicates import Duplicates, Overview, Question, Totals, duplicates
from .folders import FolderFacts, FolderMatch, Relation, compare_folders

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
]
