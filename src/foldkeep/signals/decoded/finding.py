"""What a file decodes to."""

import zlib
from array import array
from collections.abc import Sequence
from dataclasses import asdict, dataclass, field
from typing import Any, Self

_MOST_APART = 1_100  # microseconds; some containers tell whole milliseconds


class NotDecoded(Exception):
    """It cannot be told what a file decodes to; the text says why."""


@dataclass(frozen=True, slots=True)
class Finding:
    """What a file decodes to.

    Attributes
    ----------
    digest
        Of all that was compared but for moments, hexadecimal.
    what
        That, in words.
    moments
        When each packet of each track is shown or heard, see `pack_moments`; empty if nothing depends on that.
    more
        What belongs to the file and was not compared, in words by name: words that change what is seen, other tracks.
    """

    digest: str
    what: str
    moments: str = ""
    more: dict[str, str] = field(default_factory=dict)

    def known(self) -> dict[str, Any]:
        """Return it as plain values."""
        return asdict(self)

    @classmethod
    def from_known(cls, known: dict[str, Any]) -> Self:
        """Return what `known` gave."""
        return cls(**known)

    def agrees(self, other: "Finding") -> bool:
        """Tell whether another file decodes to the same, at the same moments within what containers round to."""
        if self.digest != other.digest:
            return False
        mine, its = _moments(self.moments), _moments(other.moments)
        return len(mine) == len(its) and all(abs(one - two) <= _MOST_APART for one, two in zip(mine, its, strict=True))


def pack_moments(moments: Sequence[int]) -> str:
    """Return moments, in microseconds, as text; they are told by how far each is from the one before."""
    apart = array("q", (one - other for one, other in zip(moments, (0, *moments), strict=False)))
    return zlib.compress(apart.tobytes(), 9).hex()


def _moments(packed: str) -> list[int]:
    apart = array("q", zlib.decompress(bytes.fromhex(packed)) if packed else b"")
    total, found = 0, list[int]()
    for each in apart:
        total += each
        found.append(total)
    return found
