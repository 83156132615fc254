"""Derived files: what they were made from, and how far that is shown."""

from .finished import Candidate, finished_films, may_be_finished
from .found import Batch, Caches, LastUse, Regenerable
from .measures import Measures
from .sorting import Sorting

__all__ = [
    "Batch",
    "Caches",
    "Candidate",
    "LastUse",
    "Measures",
    "Regenerable",
    "Sorting",
    "finished_films",
    "may_be_finished",
]
