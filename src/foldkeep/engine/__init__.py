"""Many machines: inventories asked as one."""

from typing import TYPE_CHECKING

from foldkeep.model.faces import names_of

if TYPE_CHECKING:
    from .columns import convert, save_columns
    from .database import MEMORY_BYTES
    from .inventories import SUFFIXES, Inventories, is_by_columns, listed, look_into, open_inventories

__all__ = [
    "MEMORY_BYTES",
    "SUFFIXES",
    "Inventories",
    "convert",
    "is_by_columns",
    "listed",
    "look_into",
    "open_inventories",
    "save_columns",
]

__getattr__ = names_of(__name__, __file__)
