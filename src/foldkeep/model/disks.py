"""Disks: the devices that the bytes of a volume are on."""

import json
from collections.abc import Iterable
from typing import NamedTuple, Self

MEMORY = "memory"
NETWORK = "network"
_ID, _SAID = "id:", "said:"


class Disks(NamedTuple):
    """The disks that the bytes of a file or volume are on, as far as they are known.

    Attributes
    ----------
    keys
        What tells them from others: ``at:…`` of where the system has a device now, ``box:…`` of what it is in,
        ``id:…`` of a number that it has of its own, ``server:…`` of a server's address, ``said:…`` of the user's word;
        `MEMORY`, and `NETWORK` of all that is behind a server. None if nothing is known.
    why
        Why they are not known, in words; empty if they are.
    name
        What a person knows them by.
    """

    keys: frozenset[str] = frozenset()
    why: str = ""
    name: str = ""

    @property
    def is_memory(self) -> bool:
        """Whether it is no disk at all, and gone when the computer is off."""
        return MEMORY in self.keys

    def named(self, word: str) -> Self:
        """Return them with what the user says: places with one word share a disk. Memory stays memory."""
        if not word or self.is_memory:
            return self
        # Numbers are given twice by cheap makers, two disks may be in one box, and two servers one computer: there the
        # user knows better. A device is itself, whatever anybody says.
        sure = frozenset(key for key in self.keys if key.startswith("at:"))
        return self._replace(keys=sure | {_SAID + word}, why="", name=f"“{word}”")

    def remembered(self) -> Self:
        """Return them as they are known while the drive is away: where the system had it says nothing then."""
        if any(key.startswith("at:") for key in self.keys):
            lasting = frozenset(key for key in self.keys if key.startswith((_ID, _SAID)))
            return self._replace(keys=lasting, why="" if lasting else _AWAY)
        return self

    @property
    def numbers(self) -> list[str]:
        """The numbers that they have of their own, which say the same on every machine."""
        return sorted(key.removeprefix(_ID) for key in self.keys if key.startswith(_ID))

    @classmethod
    def of_numbers(cls, numbers: Iterable[str], name: str) -> Self:
        """Return the disks with numbers of their own; without one, they were never known."""
        keys = frozenset(_ID + number for number in numbers)
        return cls(keys, "", name) if keys else cls(why=_NEVER_ASKED)

    def known(self) -> str:
        """Return them as a text, which `from_known` takes."""
        return json.dumps([sorted(self.keys), self.why, self.name])

    @classmethod
    def from_known(cls, known: str) -> Self:
        """Return what `known` gave; of an empty text, disks that were never asked for."""
        if not known:
            return cls(why=_NEVER_ASKED)
        keys, why, name = json.loads(known)
        return cls(frozenset(keys), why, name)


_AWAY = "it is away, and its disk has no number of its own"
_NEVER_ASKED = "no scan has asked yet which disk it is on; scan it"
NEVER_KNOWN = Disks(why=_NEVER_ASKED)


def why_not_apart(one: Disks, other: Disks) -> str:
    """Return why two files are not known to survive each other's disk, in words about the second; empty if they do.

    Only what is known to be another disk is one.
    """
    if other.is_memory:
        return "it lies in memory, which is no disk"
    if other.why or not other.keys:
        return other.why or _NEVER_ASKED
    if one.is_memory:
        return ""
    if one.why or not one.keys:
        return f"the disk beside it is not known: {one.why or _NEVER_ASKED}"
    common = one.keys & other.keys
    if common == {NETWORK}:
        return "both are on servers, which may have one disk"
    return f"it is on the same disk ({other.name})" if common else ""


def count_apart(disks: Iterable[Disks]) -> int:
    """Return how many disks there are at least: those that are known to be apart from each other; none for memory."""
    return _groups(each.keys for each in disks if not each.why and not each.is_memory)


def count_most(disks: Iterable[Disks]) -> int:
    """Return how many disks there may be: what is not known may be one each."""
    some = [each for each in disks if not each.is_memory]
    unknown = sum(bool(each.why) or not each.keys for each in some)
    return unknown + _groups(each.keys - {NETWORK} for each in some if not each.why)


def _groups(keys: Iterable[frozenset[str]]) -> int:
    """Return how many groups there are of what shares a key with another of its group."""
    groups: list[frozenset[str]] = []
    for each in filter(None, keys):
        joined = each.union(*(group for group in groups if group & each))
        groups = [group for group in groups if not group & each] + [joined]
    return len(groups)
