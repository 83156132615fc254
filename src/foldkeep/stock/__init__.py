"""The stock: one SQLite file. No other room knows its tables."""

from .archives import Archived, ArchivedFile, Archives
from .catalogs import Catalogs
from .files import SMALL_FILE, Backlog, Files, Reading, Sighting
from .ledger import Ledger
from .listing import LIST_ORDERS, Listing, Sum
from .measures import KnownMeasures, Seen
from .pictures import Pictures
from .places import Places
from .sets import CRITERIA, ORDERS, Members, Sets
from .signals import KnownSignals, Signal
from .stock import Stock

__all__ = [
    "SMALL_FILE",
    "Stock",
    "Places",
    "Pictures",
    "Files",
    "Sets",
    "Ledger",
    "KnownMeasures",
    "KnownSignals",
    "Signal",
    "Seen",
    "Catalogs",
    "Archives",
    "Archived",
    "ArchivedFile",
    "Listing",
    "Sum",
    "LIST_ORDERS",
    "Sighting",
    "Reading",
    "Backlog",
    "Members",
    "CRITERIA",
    "ORDERS",
]
