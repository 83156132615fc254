"""Free space, as the file system tells it."""

import os
from collections.abc import Iterable
from contextlib import suppress
from dataclasses import dataclass, replace

from foldkeep.model import UnusableInput
from foldkeep.model.remote import is_remote, server_of
from foldkeep.storage.remote import remote_storage


@dataclass(frozen=True, slots=True)
class Space:
    """Bytes that a user may still write on the volume of a place, before something and after it."""

    place: bytes
    before: int
    after: int

    def now(self) -> "Space":
        """Return the same with what is free now as `after`; unchanged if the place went away."""
        with suppress(OSError, UnusableInput):
            return replace(self, after=free_bytes(self.place))
        return self


def free_space(places: Iterable[bytes]) -> list[Space]:
    """Return the free space of each volume that has one of these places, named by the first place there."""
    found: dict[int | bytes, Space] = {}
    for place in places:
        with suppress(OSError, UnusableInput):
            free = free_bytes(place)
            volume = server_of(place) if is_remote(place) else os.stat(place).st_dev
            found.setdefault(volume, Space(place, free, free))
    return list(found.values())


def free_bytes(place: bytes) -> int:
    """Return the bytes that a user may still write on the volume of a place, or that the quota of its server leaves.

    Raises OSError if it is not there, or the server does not tell.
    """
    if is_remote(place):
        quota = remote_storage(place).quota(place)
        if quota is None or quota.available is None:
            raise OSError("its server tells no quota")
        return quota.available
    facts = os.statvfs(place)
    return facts.f_bavail * facts.f_frsize
