"""Dockets, one module a finder that makes them; and what is found out again of their rows before they go."""

from .alike import AlikeKeeper, alike_again, alike_rows
from .caches import Derived, cache_rows, derived_again
from .decoded import decoded_rows
from .essences import EssenceKeeper, essences_again
from .listed import listed_rows
from .orphans import orphan_rows
from .projects import PROJECT_FOLDER, project_rows

__all__ = [
    "alike_rows",
    "alike_again",
    "AlikeKeeper",
    "decoded_rows",
    "essences_again",
    "EssenceKeeper",
    "listed_rows",
    "orphan_rows",
    "cache_rows",
    "derived_again",
    "Derived",
    "project_rows",
    "PROJECT_FOLDER",
]
