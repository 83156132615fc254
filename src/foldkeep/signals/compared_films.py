"""Pairs of films whose frames are compared, as what a helper on any machine can be asked of."""

from typing import NamedTuple

from foldkeep.scan.workers import Sight, sight_of
from foldkeep.stock import Seen

from .media_worker import Apart, NotRead


class FilmPair(NamedTuple):
    """Two films.

    Attributes
    ----------
    path, size, modified_ns
        The one.
    other, other_sight
        The other, and what the machine that asks sees of it; None if that is nothing.
    offset
        Seconds at which the one begins in the other.
    """

    path: bytes
    size: int
    modified_ns: int
    other: bytes
    other_sight: Sight | None
    offset: float

    @classmethod
    def of(cls, one: Seen, other: Seen, offset: float) -> "FilmPair":
        """Return two films as this machine sees them."""
        return cls(*one, other[0], sight_of(other[0]), offset)


def agreement_of(helper: Apart, pair: FilmPair) -> str | None:
    """Ask a helper how frames of two films agree, see `Apart.films_agree`; raise NotRead if it sees another film."""
    if pair.other_sight is None or sight_of(pair.other) != pair.other_sight:
        raise NotRead("another film is seen by that name")
    return helper.films_agree(pair.path, pair.other, pair.offset)
