"""The dockets of a stock: numbered, found again, and what became of each."""

from typing import TYPE_CHECKING

from foldkeep.model.faces import names_of

if TYPE_CHECKING:
    from .decisions import Decisions
    from .made import DocketState, MadeDocket, SheetOf
    from .overview import StockOverview, WaitingDocket, overview_of
    from .register import DECIDED, DocketRegister
    from .saving import DocketFile, file_digest

__all__ = [
    "DECIDED",
    "DocketRegister",
    "MadeDocket",
    "DocketState",
    "SheetOf",
    "Decisions",
    "DocketFile",
    "file_digest",
    "WaitingDocket",
    "StockOverview",
    "overview_of",
]

__getattr__ = names_of(__name__, __file__)
