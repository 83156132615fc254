"""Packages of projects: planned, written, read back and restored.

What an archived project leaves behind goes through the door of `fold`, like everything else that goes.
"""

from typing import TYPE_CHECKING

from foldkeep.model.faces import names_of

if TYPE_CHECKING:
    from .archiving import ArchiveReport, archive
    from .originals import fold_original
    from .packing import Packing, plan_packing
    from .restoring import Restoration, RestoreReport, open_restoration
    from .returning import Return, Way
    from .shipping import check_server_folder, packages_here, ship

__all__ = [
    "plan_packing",
    "Packing",
    "archive",
    "ship",
    "check_server_folder",
    "packages_here",
    "ArchiveReport",
    "fold_original",
    "open_restoration",
    "Restoration",
    "RestoreReport",
    "Return",
    "Way",
]

__getattr__ = names_of(__name__, __file__)
