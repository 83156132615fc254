"""The one way in which a content is deleted for good: read, vouched for, and vouched for once more after."""

import os
from collections.abc import Callable

from foldkeep.storage.local.changes import copy_open_file, unlink
from foldkeep.storage.local.reading import NotSafe, Stamp, Stamps, facts_of, is_regular, open_in

CHANGED = "changed since it was read"
GONE = "what vouches for it changed or went away"


def remove(folder: int, name: bytes, seen: Stamp, stamps: Stamps, stands: Callable[[], bool]) -> None:
    """Unlink a file for good, if it is still what was read a moment ago and something vouches for its content.

    The witness is looked at before and after. Where it went away between the two, the content is written back from
    the file that is still open, so that it is never gone from both.

    Parameters
    ----------
    folder, name
        The open folder that the file lies in, and its name there.
    seen
        The file as it was when its content was read.
    stands
        Looks whether the witness is, at this moment, what it was when it was read.

    Raises
    ------
    NotSafe
        If it must stay; it lies where it was, then.
    OSError
        What the system says.
    """
    try:
        descriptor = open_in(folder, name)
    except FileNotFoundError:
        raise NotSafe("went away; somebody took it") from None
    try:
        if not stamps.is_same(seen, os.fstat(descriptor)):
            raise NotSafe(CHANGED)
        if not stands():
            raise NotSafe(GONE)
        if not stamps.is_same(seen, os.fstat(descriptor)):  # a witness on a server takes its time to answer
            raise NotSafe(CHANGED)
        unlink(name, folder)
        stamps.note(os.fstat(descriptor))  # of an inode that has other names, which may go as well
        if not stands():
            copy_open_file(descriptor, folder, name)
            raise NotSafe(GONE)
    finally:
        os.close(descriptor)


def seen_now(folder: int, name: bytes) -> Stamp | None:
    """Return the stamp of a regular file in an open folder, None if it is none; take it before reading the file."""
    facts = facts_of(folder, name)
    return Stamp.of(facts) if facts is not None and is_regular(facts) else None
