"""The stock: one SQLite file. No other room knows its tables."""

from typing import TYPE_CHECKING

from foldkeep.model.faces import names_of

if TYPE_CHECKING:
    from .archives import Archived, ArchivedFile
    from .beginnings import Beginnings
    from .checks import Check, Checked, CheckResult, Due
    from .contents import SMALL_FILE, Alike, Backlog, Reading
    from .files import Sighting
    from .filtering import Shared
    from .listing import LIST_ORDERS, Sum
    from .measures import Seen
    from .pictures import Pictures
    from .prints import KnownPrint, Prints
    from .sets import CRITERIA, ORDERS, Members
    from .signals import Signal, Unmeasured
    from .stock import Stock

__all__ = [
    "CRITERIA",
    "LIST_ORDERS",
    "ORDERS",
    "SMALL_FILE",
    "Archived",
    "ArchivedFile",
    "Alike",
    "Backlog",
    "Beginnings",
    "Check",
    "Checked",
    "CheckResult",
    "Due",
    "Members",
    "Pictures",
    "Reading",
    "Seen",
    "Sighting",
    "KnownPrint",
    "Prints",
    "Signal",
    "Unmeasured",
    "Shared",
    "Stock",
    "Sum",
]

__getattr__ = names_of(__name__, __file__)
