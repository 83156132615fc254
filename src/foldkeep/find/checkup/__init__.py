"""The check-up: everything looked at once, and what of it wants a person."""

from typing import TYPE_CHECKING

from foldkeep.model.faces import names_of

if TYPE_CHECKING:
    from .checkup import CheckUp, CheckUpSettings, check_up
    from .findings import BROKEN_OFF, Finding, Item, Topic

__all__ = ["BROKEN_OFF", "CheckUp", "CheckUpSettings", "Finding", "Item", "Topic", "check_up"]

__getattr__ = names_of(__name__, __file__)
