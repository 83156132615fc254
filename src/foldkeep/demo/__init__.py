"""The sample library, made by code the same way every time, and the guided example on it."""

from .guide import STOCK, Tour, prepare, take_tour
from .library import make_library

__all__ = ["make_library", "prepare", "take_tour", "Tour", "STOCK"]
