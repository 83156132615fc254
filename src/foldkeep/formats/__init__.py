"""Open formats in and out, in rooms by what they are of; here is what all of them read by."""

from typing import TYPE_CHECKING

from foldkeep.model.faces import names_of

if TYPE_CHECKING:
    from .reading import opened_file, read_whole, walked

__all__ = ["opened_file", "read_whole", "walked"]

__getattr__ = names_of(__name__, __file__)
