"""Telling whether a file is still the one that was looked at, and whether two names are two files."""

import os
import stat
from typing import NamedTuple, Self

from .opening import FILE, facts_of, open_path

# What SQLite, and 64 bits, can hold: files may be dated long before and after.
_EARLIEST_NS, _LATEST_NS = -(2**63), 2**63 - 1


class NotSafe(Exception):
    """Refusal by a safety check on a file; the words say why."""


def modified_ns(facts: os.stat_result) -> int:
    """Return when a file was modified, in nanoseconds since the epoch; what 64 bits cannot hold is the last they can.

    That is in April 2262; some file systems know later dates.
    """
    return clamped_ns(facts.st_mtime_ns)


def clamped_ns(nanoseconds: int) -> int:
    """Return a time as it can be stored: itself, or the first or last that 64 bits hold."""
    return min(max(nanoseconds, _EARLIEST_NS), _LATEST_NS)


class Identity(NamedTuple):
    """Identity of a file, which a rename does not change; a tuple, since it is made so often."""

    device: int
    inode: int
    size: int
    modified_ns: int

    @classmethod
    def of(cls, facts: os.stat_result) -> Self:
        """Return the identity in what the system says of a file."""
        return cls(facts.st_dev, facts.st_ino, facts.st_size, facts.st_mtime_ns)


class Stamp(NamedTuple):
    """An identity and the time of last status change, which no program can set.

    A file that is replaced may get the inode of the one before it, the same size and the same modification time, and
    one that is edited may get its modification time put back; neither gets the same change time.
    """

    identity: Identity
    changed_ns: int

    @classmethod
    def of(cls, facts: os.stat_result) -> Self:
        """Return the stamp in what the system says of a file."""
        identity = Identity(facts.st_dev, facts.st_ino, facts.st_size, facts.st_mtime_ns)
        return cls(identity, facts.st_ctime_ns)


class Stamps:
    """Tells whether files are as they were, but for what was done to their names here.

    To rename or link a name of a file changes its stamp, for every one of its names: that is no change by somebody
    else.
    """

    def __init__(self) -> None:
        self._ours: dict[Identity, Stamp] = {}

    def note(self, facts: os.stat_result) -> Stamp:
        """Note what became of a file by a change of our own to one of its names."""
        stamp = Stamp.of(facts)
        self._ours[stamp.identity] = stamp
        return stamp

    def is_same(self, stamp: Stamp, facts: os.stat_result) -> bool:
        """Tell whether a file has this stamp, or the one that we gave it since."""
        identity = stamp.identity
        if (
            facts.st_mtime_ns != identity.modified_ns
            or facts.st_size != identity.size
            or facts.st_ino != identity.inode
            or facts.st_dev != identity.device
        ):
            return False
        if facts.st_ctime_ns == stamp.changed_ns:
            return True
        ours = self._ours.get(identity)
        return ours is not None and facts.st_ctime_ns == ours.changed_ns

    def stands(self, path: bytes, stamp: Stamp) -> bool:
        """Tell whether the file at an absolute path is there, can be opened, and is as it was.

        Opening asks the server, or the program behind a mount, where a mere look may be answered from memory.
        """
        try:
            descriptor = open_path(path, FILE)
        except OSError:
            return False
        try:
            return self.is_same(stamp, os.fstat(descriptor))
        except OSError:
            return False
        finally:
            os.close(descriptor)


def may_be_one(facts: os.stat_result, other: os.stat_result) -> bool:
    """Tell whether two names are, or may be, names of one file.

    One file seen through two mounts has two devices, but one inode number, size, and times: also the time of last
    change, which no program can set.
    """
    return may_have_one(Stamp.of(facts), Stamp.of(other))


def may_have_one(stamp: Stamp, other: Stamp) -> bool:
    """Tell whether two stamps are, or may be, of one file, as `may_be_one` does."""
    one, two = stamp.identity, other.identity
    if one.device == two.device:
        return one.inode == two.inode
    return one[1:] == two[1:] and stamp.changed_ns == other.changed_ns


def is_regular(facts: os.stat_result | None) -> bool:
    """Tell whether something is there, and a regular file."""
    return facts is not None and stat.S_ISREG(facts.st_mode)


def check_unchanged(folder: int, name: bytes, expected: Stamp, stamps: Stamps) -> os.stat_result:
    """Return what a name in an open folder is; raise NotSafe if it is no longer the file that was looked at."""
    facts = facts_of(folder, name)
    if facts is None:
        raise NotSafe("went away while it was folded")
    if not stamps.is_same(expected, facts):
        raise NotSafe("changed while it was folded")
    return facts
