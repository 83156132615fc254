"""Two sides compared, and inventories of places to compare with."""

from .comparison import Change, Comparison, Side, Verdict, check_sides, compare, open_side
from .inventories import InventoryFacts, load_inventory, read_inventory, save_inventory

__all__ = [
    "Change",
    "Comparison",
    "Side",
    "Verdict",
    "check_sides",
    "compare",
    "open_side",
    "InventoryFacts",
    "load_inventory",
    "read_inventory",
    "save_inventory",
]
