"""Likeness: pictures and films that look alike, sounds that sound so, with evidence; only a person decides."""

from typing import TYPE_CHECKING

from foldkeep.model.faces import names_of

if TYPE_CHECKING:
    from .alike_groups import STRENGTHS, alike, count_unseen, without_print
    from .differences import only_of
    from .frames import FilmPair, compared, like_films
    from .groups import Content, Group, Member, What, grouped
    from .layouts import opposite
    from .measuring import DecodedNow, Measured, NotAlike, alike_now, decoded_now, measured
    from .photos import Photos
    from .pictures import Pair, like_pictures
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
    "opposite",
    "like_pictures",
    "like_sounds",
    "SoundPair",
    "FilmPair",
    "like_films",
    "compared",
    "only_of",
    "alike_now",
    "decoded_now",
    "DecodedNow",
    "measured",
    "Measured",
    "NotAlike",
    "without_print",
    "count_unseen",
]

__getattr__ = names_of(__name__, __file__)
