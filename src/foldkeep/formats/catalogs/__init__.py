"""Catalogues of other programs, in the forms that they write."""

from typing import TYPE_CHECKING

from foldkeep.model.faces import names_of

if TYPE_CHECKING:
    from .catalog import FORMS, catalog_source, read_catalog
    from .repairing import write_repaired
    from .thumbnails import Thumbnail, read_thumbnail

__all__ = [
    "FORMS",
    "catalog_source",
    "read_catalog",
    "write_repaired",
    "Thumbnail",
    "read_thumbnail",
]

__getattr__ = names_of(__name__, __file__)
