"""Copies: files and folders with the same content, and what is known of them."""

from typing import TYPE_CHECKING

from foldkeep.model.faces import names_of

if TYPE_CHECKING:
    from .content_sets import Duplicates, Overview, Question, Totals, duplicates
    from .copy_details import Details, KnownCopy, details
    from .decoded import same_decoded
    from .essences import same_essences
    from .folders import FolderFacts, FolderMatch, Relation, compare_folders
    from .media_sets import (
        WRITTEN,
        MediaCopy,
        MediaSet,
        OtherSets,
        Same,
        files_of,
        sets_of_both,
        totals_of,
        written,
    )
    from .named_sets import media_set

__all__ = [
    "Details",
    "KnownCopy",
    "details",
    "MediaCopy",
    "MediaSet",
    "Same",
    "media_set",
    "OtherSets",
    "sets_of_both",
    "files_of",
    "same_essences",
    "same_decoded",
    "WRITTEN",
    "written",
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

__getattr__ = names_of(__name__, __file__)
