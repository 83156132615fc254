"""Derived files: what they were made from, and how far that is shown."""

from typing import TYPE_CHECKING

from foldkeep.model.faces import names_of

if TYPE_CHECKING:
    from .cache_selection import Wish, caches
    from .derived_files import all_caches, explain_cache
    from .finished import Candidate, finished_films, may_be_finished
    from .found import Batch, Caches, LastUse, Regenerable
    from .sorting import Sorting

__all__ = [
    "Candidate",
    "finished_films",
    "may_be_finished",
    "Batch",
    "Caches",
    "LastUse",
    "Regenerable",
    "Sorting",
    "Wish",
    "caches",
    "all_caches",
    "explain_cache",
]

__getattr__ = names_of(__name__, __file__)
