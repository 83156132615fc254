"""Dockets, one module a finder that makes them; and what is found out again of their rows before they go."""

from typing import TYPE_CHECKING

from foldkeep.model.faces import names_of

if TYPE_CHECKING:
    from .alike import AlikeKeeper, alike_again, alike_rows
    from .by_folder import FolderSum, FolderSums, Going
    from .caches import Derived, cache_rows, derived_again
    from .coverage import card_rows, coverage_rows, missing_reason
    from .decoded import decoded_rows
    from .essences import EssenceKeeper, essences_again
    from .fixity import fixity_rows
    from .listed import listed_rows
    from .orphans import orphan_rows
    from .projects import PROJECT_FOLDER, project_rows

__all__ = [
    "FolderSum",
    "FolderSums",
    "Going",
    "alike_rows",
    "alike_again",
    "AlikeKeeper",
    "card_rows",
    "coverage_rows",
    "missing_reason",
    "decoded_rows",
    "essences_again",
    "EssenceKeeper",
    "fixity_rows",
    "listed_rows",
    "orphan_rows",
    "cache_rows",
    "derived_again",
    "Derived",
    "project_rows",
    "PROJECT_FOLDER",
]

__getattr__ = names_of(__name__, __file__)
