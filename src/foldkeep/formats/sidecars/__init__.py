"""Sidecars: what people wrote about a picture or clip, in a file beside it."""

from typing import TYPE_CHECKING

from foldkeep.model.faces import names_of

if TYPE_CHECKING:
    from .sidecar_writing import says_more, with_words, words_lost
    from .uniting import Difference, said, united
    from .xmp import LARGEST_SIDECAR, Xmp, parse_xmp

__all__ = [
    "LARGEST_SIDECAR",
    "says_more",
    "with_words",
    "words_lost",
    "Difference",
    "said",
    "united",
    "Xmp",
    "parse_xmp",
]

__getattr__ = names_of(__name__, __file__)
