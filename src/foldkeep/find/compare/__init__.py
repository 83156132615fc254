"""Two sides compared, and inventories of places to compare with."""

from typing import TYPE_CHECKING

from foldkeep.model.faces import names_of

if TYPE_CHECKING:
    from .comparison import Change, Comparison, Entry, Side, Verdict, check_sides, compare, like_with_like, open_side
    from .inventories import (
        InventoryFacts,
        inventory_folders,
        inventory_head,
        load_inventory,
        read_inventory,
        save_inventory,
    )

__all__ = [
    "Change",
    "Comparison",
    "Entry",
    "Side",
    "Verdict",
    "check_sides",
    "compare",
    "open_side",
    "like_with_like",
    "InventoryFacts",
    "inventory_folders",
    "inventory_head",
    "load_inventory",
    "read_inventory",
    "save_inventory",
]

__getattr__ = names_of(__name__, __file__)
