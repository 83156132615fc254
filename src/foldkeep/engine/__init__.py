"""Many machines: inventories asked as one, and work handed to an existing distributed engine."""

from typing import TYPE_CHECKING

from foldkeep.model.faces import names_of

if TYPE_CHECKING:
    from .cluster import Cluster
    from .comparing import compare_inventories
    from .dockets import MachineDocket, propose_for_machines, write_dockets
    from .fetching import fetched
    from .inventories import SUFFIXES, Inventories, is_of_columns, listed, open_inventories
    from .likeness import AlikeElsewhere, alike_of_many

__all__ = [
    "SUFFIXES",
    "Cluster",
    "Inventories",
    "MachineDocket",
    "AlikeElsewhere",
    "alike_of_many",
    "compare_inventories",
    "fetched",
    "is_of_columns",
    "listed",
    "open_inventories",
    "propose_for_machines",
    "write_dockets",
]

__getattr__ = names_of(__name__, __file__)
