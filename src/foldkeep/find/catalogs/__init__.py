"""Catalogues of other programs: which files they mean, and what they have lost track of."""

from .catalog_files import Known, RootMap, descriptions, folders_of, known_files, uses
from .orphans import LeftOver, Missing, Orphans, Standing, Twice, Unknown, orphans
from .repair import mended

__all__ = [
    "Known",
    "RootMap",
    "descriptions",
    "folders_of",
    "known_files",
    "uses",
    "LeftOver",
    "Missing",
    "Orphans",
    "Standing",
    "Twice",
    "Unknown",
    "orphans",
    "mended",
]
