"""Derived files: what they were made from, and how far that is shown."""

from .finished import Candidate, finished_films, may_be_finished
from .grading import Vouching, are_machine_made, grade_at_first
from .measures import Measures
from .names import is_machine_made

__all__ = [
    "Candidate",
    "Measures",
    "Vouching",
    "are_machine_made",
    "finished_films",
    "grade_at_first",
    "is_machine_made",
    "may_be_finished",
]
