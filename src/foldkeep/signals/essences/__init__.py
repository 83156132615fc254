"""Essences: the picture or sound itself of a file, without what is written about it."""

from typing import TYPE_CHECKING

from foldkeep.model.faces import names_of

if TYPE_CHECKING:
    from ..extractors import ESSENCE
    from .essence import Essence, digest_of_essence, essence_of, essence_with_digest, gaps, outline_of
    from .files import described, described_with_content, outlined, source_at
    from .gathering import find_essences, make_outlines
    from .parts import FileSource, NoEssence, Shown, Source, Stretch
    from .rests import rebuilt, rest_of

__all__ = [
    "ESSENCE",
    "Essence",
    "essence_of",
    "essence_with_digest",
    "digest_of_essence",
    "outline_of",
    "gaps",
    "make_outlines",
    "find_essences",
    "outlined",
    "described",
    "described_with_content",
    "source_at",
    "rest_of",
    "rebuilt",
    "FileSource",
    "Source",
    "Stretch",
    "Shown",
    "NoEssence",
]

__getattr__ = names_of(__name__, __file__)
