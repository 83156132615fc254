"""Telling whether a file is still the one that was looked at."""

import os
from typing import NamedTuple, Self

from .moving import facts_of, move


class NotSafe(Exception):
    """Something must not be done to a file; the words say why."""


class Identity(NamedTuple):
    """What must not change between the look at a file and the change to it; a tuple, since it is made so often."""

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

    A file that is replaced may get the inode of the one before it, the same size and the same modification
    time, but not the same change time. Moving one hard link of a file changes that of all of them, so it is
    asked of keepers only: of these nothing may move.
    """

    identity: Identity
    changed_ns: int

    @classmethod
    def of(cls, facts: os.stat_result) -> Self:
        """Return the stamp in what the system says of a file."""
        return cls(Identity.of(facts), facts.st_ctime_ns)


def check_unchanged(folder: int, name: bytes, expected: Identity) -> None:
    """Raise NotSafe if a name in an open folder is no longer the file that was looked at."""
    facts = facts_of(folder, name)
    if facts is None:
        raise NotSafe("went away while it was folded")
    if Identity.of(facts) != expected:
        raise NotSafe("changed while it was folded")


def move_if_unchanged(source: int, name: bytes, target: int, new_name: bytes, expected: Identity) -> None:
    """Move a file if it is the one that was looked at; never onto an existing name.

    Somebody may put another file there between the last look and the move: that one is put back.

    Raises
    ------
    NotSafe
        If it is not, or no longer, that file.
    OSError
        FileExistsError if the new name is taken; otherwise what the system says.
    """
    check_unchanged(source, name, expected)
    move(source, name, target, new_name)
    try:
        check_unchanged(target, new_name, expected)
    except NotSafe:
        move(target, new_name, source, name)
        raise
