"""Catalogues of other programs, in the forms that they write."""

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
