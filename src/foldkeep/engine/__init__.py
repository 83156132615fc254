"""Many machines: inventories asked as one."""

from typing import TYPE_CHECKING

from foldkeep.model.faces import names_of

if TYPE_CHECKING:
    from .dockets import MachineDocket, propose_for_machines, write_dockets
    from .inventories import SUFFIXES, Inventories, listed, open_inventories

__all__ = [
    "SUFFIXES",
    "Inventories",
    "MachineDocket",
    "listed",
    "open_inventories",
    "propose_for_machines",
    "write_dockets",
]

__getattr__ = names_of(__name__, __file__)
