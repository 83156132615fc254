"""Derived files: what they were made from, and how far that is shown."""

from .cache_selection import Wish, caches
from .caches import all_caches, explain_cache
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
