"""What can be seen of copies on the disk, for a person who has to choose."""

from collections.abc import Sequence
from typing import NamedTuple

from foldkeep.formats.sidecars import Xmp
from foldkeep.model.files import BLOCK_BYTES
from foldkeep.storage.local.reading import facts_at, modified_ns

from .media_facts import sidecars_of


class CopyState(NamedTuple):
    """One copy as it is now.

    Attributes
    ----------
    here
        Whether it is there; if not, nothing else is known.
    disk_bytes
        What it takes on the disk: less than its size if it has holes, more by what its last block leaves free.
    links
        How many names the file has.
    same_as
        Numbers, from 1, of copies before it that are other names of the same file.
    sidecars
        Names of what is written about it, beside it, and what the XMP among them says.
    """

    here: bool
    modified_ns: int = 0
    disk_bytes: int = 0
    links: int = 1
    same_as: tuple[int, ...] = ()
    sidecars: tuple[tuple[bytes, Xmp | None], ...] = ()


def copy_states(paths: Sequence[bytes]) -> list[CopyState]:
    """Return the state on the disk of each copy of a set."""
    found: list[CopyState] = []
    files: list[tuple[int, int] | None] = []
    for path in paths:
        try:
            facts = facts_at(path)
        except OSError:
            found.append(CopyState(False))
            files.append(None)
            continue
        file = (facts.st_dev, facts.st_ino)
        same = tuple(number for number, other in enumerate(files, start=1) if other == file)
        files.append(file)
        found.append(
            CopyState(
                True, modified_ns(facts), facts.st_blocks * BLOCK_BYTES, facts.st_nlink, same, tuple(sidecars_of(path))
            )
        )
    return found
