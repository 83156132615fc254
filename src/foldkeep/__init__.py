"""Fold Keep: find copies by content, keep the right one, fold the rest away so that it can come back.

The names here are what other programs may use; `foldkeep.library` documents each with an example.
"""

from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from .library import (
        Action,
        Filter,
        FoldKeepError,
        Method,
        Role,
        Stock,
        UnusableInput,
        choose_keepers,
        find_duplicates,
        fold_spares,
        list_runs,
        open_inventory,
        open_stock,
        plan_fold,
        read_docket,
        release_runs,
        save_inventory,
        scan_places,
        unfold_run,
        write_docket,
    )

__version__ = "0.2.0"

__all__ = [
    "Action",
    "Filter",
    "FoldKeepError",
    "Method",
    "Role",
    "Stock",
    "UnusableInput",
    "choose_keepers",
    "find_duplicates",
    "fold_spares",
    "list_runs",
    "open_inventory",
    "open_stock",
    "plan_fold",
    "read_docket",
    "release_runs",
    "save_inventory",
    "scan_places",
    "unfold_run",
    "write_docket",
]


def __getattr__(name: str) -> Any:
    """Return a public name, imported when it is first asked for: ``foldkeep --help`` must not pay for it."""
    if name not in __all__:
        raise AttributeError(f"module {__name__!r} has no attribute {name!r}")
    from . import library

    return getattr(library, name)
