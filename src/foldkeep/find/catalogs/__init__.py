"""Catalogues of other programs: which files they mean, and what they have lost track of."""

from typing import TYPE_CHECKING

from foldkeep.model.faces import names_of

if TYPE_CHECKING:
    from .catalog_files import Known, RootMap, descriptions, folders_of, known_files, uses
    from .orphan_files import LeftOver, Missing, Orphans, Standing, Twice, Unknown, orphans
    from .repair import Mending, mended

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
    "Mending",
    "mended",
]

__getattr__ = names_of(__name__, __file__)
