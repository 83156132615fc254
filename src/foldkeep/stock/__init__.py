"""The stock: one SQLite file. No other room knows its tables."""

from .files import Backlog, Files, Reading, Sighting
from .ledger import Ledger
from .places import Places
from .stock import Stock

__all__ = ["Stock", "Places", "Files", "Ledger", "Sighting", "Reading", "Backlog"]
