"""Sidecars: what people wrote about a picture or clip, in a file beside it."""

from .sidecar_writing import says_more, with_words
from .uniting import Difference, said, united
from .xmp import LARGEST_SIDECAR, Xmp, parse_xmp

__all__ = [
    "LARGEST_SIDECAR",
    "says_more",
    "with_words",
    "Difference",
    "said",
    "united",
    "Xmp",
    "parse_xmp",
]
