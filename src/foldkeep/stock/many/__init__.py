"""Stocks of many machines as one: the tables of a stock as views over columns, asked by DuckDB."""

from typing import TYPE_CHECKING

from foldkeep.model.faces import names_of

if TYPE_CHECKING:
    from .listing import ListingOfMany
    from .ranges import digest_ranges
    from .stock import Columns, stock_of_many

__all__ = [
    "Columns",
    "ListingOfMany",
    "digest_ranges",
    "stock_of_many",
]

__getattr__ = names_of(__name__, __file__)
