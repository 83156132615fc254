"""What the copies of one content knew, put together."""

from collections.abc import Iterable
from typing import NamedTuple

from .xmp import Xmp


class Difference(NamedTuple):
    """Two copies of which different things were said.

    Attributes
    ----------
    what
        ``rating``, ``title`` or ``description``.
    kept, other
        What was said of the one that stays, and of the other.
    path
        The other one.
    """

    what: str
    kept: str
    other: str
    path: bytes


def united(mine: Xmp, others: Iterable[tuple[bytes, Xmp]]) -> tuple[Xmp, list[Difference]]:
    """Put together what is said of a file and of others of its content, each with its path.

    Keywords are united; a rating, title or description is taken from the first that has one. A rating of 0 says
    that there is none yet (ISO 16684-1).
    """
    differences: list[Difference] = []
    for path, other in others:
        for what in ("rating", "title", "description"):
            kept, theirs = getattr(mine, what), getattr(other, what)
            if kept and theirs and kept != theirs:
                differences.append(Difference(what, said(kept), said(theirs), path))
            elif theirs and not kept:
                mine = mine._replace(**{what: theirs})
        mine = mine._replace(keywords=tuple(dict.fromkeys((*mine.keywords, *other.keywords))))
    return mine, differences


def said(fact: str | float) -> str:
    """Return a rating, title or description as text."""
    return fact if isinstance(fact, str) else f"{fact:g}"
