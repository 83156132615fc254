"""Essences: the picture or sound itself of a file, without what is written about it."""

from .essence import Essence, digest_of_essence, essence_of, gaps, outline_of
from .parts import FileSource, NoEssence, Shown, Source, Stretch
from .rests import rebuilt, rest_of

__all__ = [
    "Essence",
    "essence_of",
    "digest_of_essence",
    "outline_of",
    "gaps",
    "rest_of",
    "rebuilt",
    "FileSource",
    "Source",
    "Stretch",
    "Shown",
    "NoEssence",
]
