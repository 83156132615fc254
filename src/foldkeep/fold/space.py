"""Free space, as the file system tells it."""

import os
from collections.abc import Iterable
from contextlib import suppress
from dataclasses import dataclass, replace


@dataclass(frozen=True, slots=True)
class Space:
    """Bytes that a user may still write on the volume of a place, before something and after it."""

    place: bytes
    before: int
    after: int

    def now(self) -> "Space":
        """Return the same with what is free now as `after`; unchanged if the place went away."""
        with suppress(OSError):
            return replace(self, after=free_bytes(self.place))
        return self


def free_space(places: Iterable[bytes]) -> list[Space]:
    """Return the free space of each volume that has one of these places, named by the first place there."""
    found: dict[int, Space] = {}
    for place in places:
        with suppress(OSError):
            free = free_bytes(place)
            found.setdefault(os.stat(place).st_dev, Space(place, free, free))
    return list(found.values())


def free_bytes(place: bytes) -> int:
    """Return the bytes that a user may still write on the volume of a place; OSError if it is not there."""
    facts = os.statvfs(place)
    return facts.f_bavail * facts.f_frsize
