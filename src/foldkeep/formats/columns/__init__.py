"""Inventories by columns: Apache Parquet, sealed, asked by DuckDB."""

from typing import TYPE_CHECKING

from foldkeep.model.faces import names_of

if TYPE_CHECKING:
    from .reading import ColumnsReader, inventory_reader, is_by_columns, read_head
    from .sql import MEMORY_BYTES, blob, database, own_folder, plain_name, text
    from .writing import convert, save_columns

__all__ = [
    "MEMORY_BYTES",
    "ColumnsReader",
    "blob",
    "convert",
    "database",
    "inventory_reader",
    "is_by_columns",
    "own_folder",
    "plain_name",
    "read_head",
    "save_columns",
    "text",
]

__getattr__ = names_of(__name__, __file__)
