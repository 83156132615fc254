"""Likeness: pictures that look alike, shown with evidence; only a person decides about them."""

from .alike import STRENGTHS, alike
from .groups import Group, Member, Picture, What, grouped
from .pictures import FAIR_BITS, SURE_BITS, Pair, like_pictures

__all__ = [
    "alike",
    "STRENGTHS",
    "Group",
    "Member",
    "Picture",
    "What",
    "grouped",
    "Pair",
    "like_pictures",
    "SURE_BITS",
    "FAIR_BITS",
]
