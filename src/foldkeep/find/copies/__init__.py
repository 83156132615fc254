"""Copies: files and folders with the same content, and what is known of them."""

from .details import Details, KnownCopy, details
from .duplicates import Duplicates, Overview, Question, Totals, duplicates
from .essences import (
    EssenceCopy,
    EssenceSet,
    OtherSets,
    essence_set,
    files_of,
    same_essences,
    sets_of_both,
    totals_of,
)
from .folders import FolderFacts, FolderMatch, Relation, compare_folders

__all__ = [
    "Details",
    "KnownCopy",
    "details",
    "EssenceCopy",
    "EssenceSet",
    "essence_set",
    "OtherSets",
    "sets_of_both",
    "files_of",
    "same_essences",
    "totals_of",
    "Duplicates",
    "Overview",
    "Question",
    "Totals",
    "duplicates",
    "FolderFacts",
    "FolderMatch",
    "Relation",
    "compare_folders",
]
