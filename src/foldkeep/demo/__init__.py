"""The sample library, made by code the same way every time, and the guided example on it."""

from typing import TYPE_CHECKING

from foldkeep.model.faces import names_of

if TYPE_CHECKING:
    from .cloud_guide import cloud_beside, take_cloud_tour
    from .guide import STOCK, Tour, prepare, take_tour
    from .library import make_library

__all__ = ["make_library", "cloud_beside", "take_cloud_tour", "prepare", "take_tour", "Tour", "STOCK"]

__getattr__ = names_of(__name__, __file__)
