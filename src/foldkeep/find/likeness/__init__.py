"""Likeness: pictures that look alike and sounds that sound so, with evidence; only a person decides about them."""

from .alike import STRENGTHS, alike
from .groups import Content, Group, Member, What, grouped
from .photos import Photos
from .pictures import FAIR_BITS, SURE_BITS, Pair, like_pictures
from .sounds import SoundPair, like_sounds

__all__ = [
    "alike",
    "STRENGTHS",
    "Group",
    "Member",
    "Content",
    "Photos",
    "What",
    "grouped",
    "Pair",
    "like_pictures",
    "like_sounds",
    "SoundPair",
    "SURE_BITS",
    "FAIR_BITS",
]
