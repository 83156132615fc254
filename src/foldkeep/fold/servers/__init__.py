"""Folds on servers: the same ways in and on as on a disk, where nothing can be added to a file or flushed."""

from typing import TYPE_CHECKING

from foldkeep.model.faces import names_of

if TYPE_CHECKING:
    from .trial import try_out_target

__all__ = ["try_out_target"]

__getattr__ = names_of(__name__, __file__)
