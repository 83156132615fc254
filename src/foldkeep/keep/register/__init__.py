"""The dockets of a stock: numbered, found again, and what became of each."""

from typing import TYPE_CHECKING

from foldkeep.model.faces import names_of

if TYPE_CHECKING:
    from .decisions import Decisions
    from .made import DocketState, MadeDocket, ToldDocket
    from .overview import StockOverview, overview_of
    from .register import DECIDED, NAME, DocketRegister
    from .saving import DocketFile, file_digest

__all__ = [
    "DECIDED",
    "NAME",
    "DocketRegister",
    "MadeDocket",
    "DocketState",
    "ToldDocket",
    "Decisions",
    "DocketFile",
    "file_digest",
    "StockOverview",
    "overview_of",
]

__getattr__ = names_of(__name__, __file__)
