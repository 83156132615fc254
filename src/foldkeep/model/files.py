"""Places, the files in them, and the sets that files with one content form."""

from collections.abc import Iterable, Mapping
from enum import StrEnum
from functools import lru_cache
from typing import NamedTuple

from .kinds import kind_of_all

BLOCK_BYTES = 512
"""What systems count the room of files in (POSIX, `st_blocks`)."""


class Role(StrEnum):
    """Purposes of a place; copies in places of different roles are not each other's spares."""

    WORKING = "working"
    BACKUP = "backup"
    ARCHIVE = "archive"


class Place(NamedTuple):
    """A folder, drive or share that the user has told Fold Keep about.

    Attributes
    ----------
    id
        Its number in the stock.
    path
        Absolute, with no symbolic link in it.
    label
        A short name, unique in the stock.
    volume
        Number of the volume that its top folder lies on.
    inode
        Of its top folder.
    asked
        What a scan looks at here beyond the usual: of ``hidden``, ``system``, ``bundles``, ``volumes``.
    scanned_ns
        When its last scan that came to its end began, nanoseconds since the epoch; None before the first.
    below
        Its path below where its volume is mounted; empty at its top, None before that was looked at.
    mark
        What a file in its fold says it is, wherever it lies; empty if it never had one.
    disk
        The disk that it lies on, by the user's own word; empty if nothing was said.
    """

    id: int
    path: bytes
    role: Role
    label: str
    volume: int
    inode: int = 0
    asked: frozenset[str] = frozenset()
    scanned_ns: int | None = None
    below: bytes | None = None
    mark: str = ""
    disk: str = ""


class StockFile(NamedTuple):
    """One name of a file, as the last scan saw it.

    Attributes
    ----------
    path
        Absolute path.
    size
        Bytes.
    modified_ns
        Time of last modification, nanoseconds since the epoch.
    inode, links
        The file's number on its volume and how many names it has there, wherever they are.
    owner
        Number of the user who owns it.
    digest
        BLAKE3 of the whole content (32 bytes), or None where no copy was possible.
    content
        What its first bytes say it is, where its suffix says otherwise; else None.
    extent
        Where on its volume its first block lies if another file shares it; else None. Files of one content
        and volume with one such place are clones: they take the space of one.
    blocks
        How many blocks of 512 bytes it takes on its volume; None where that is not known.
    """

    path: bytes
    size: int
    modified_ns: int
    kind: str
    place: Place
    volume: int
    inode: int
    links: int
    owner: int
    digest: bytes | None
    content: str | None = None
    extent: int | None = None
    blocks: int | None = None

    @property
    def disk_bytes(self) -> int:
        """What it takes on its volume, where that is known; less than its size if it has holes."""
        return self.size if self.blocks is None else self.blocks * BLOCK_BYTES

    @property
    def identity(self) -> tuple[int, int]:
        """What tells this file from another: names with one identity are hard links to one file."""
        return (self.volume, self.inode)

    def damage(self, known: Mapping[bytes, str]) -> str:
        """Return what is wrong with it, in words; `known` has the contents that something was found wrong with."""
        if not self.size:
            return "it is empty"
        if self.content:
            return f"its first bytes are those of {self.content}"
        return known.get(self.digest, "") if self.digest else ""


def format_digest(digest: bytes) -> str:
    """Return a digest as it is written in dockets and JSON: ``blake3:<hex>``."""
    return f"blake3:{digest.hex()}"


@lru_cache(maxsize=1024)
def parse_digest(text: str) -> bytes:
    """Return the 32 bytes of a digest written ``blake3:<hex>``; raise ValueError for anything else."""
    scheme, _, digits = text.partition(":")
    digest = bytes.fromhex(digits)
    if scheme != "blake3" or len(digest) != 32:
        raise ValueError(f"not a digest: {text!r}; write one like blake3:<64 hexadecimal digits>")
    return digest


class CopySet(NamedTuple):
    """Files that agree: in content, or, for looking only, in name, size or time.

    Attributes
    ----------
    id
        Short name, unique among the sets of one answer and the same in every answer from one stock; it
        begins with a letter, so that no spreadsheet takes it for a number.
    digest
        Of the content that all copies have; None where their contents differ or were not compared.
    copies
        Every known name of those files in order of path; some may be hard links to one file.
    reclaimable
        Bytes that come free when one file of the set stays and every other known name goes.
    backed_up
        Labels of places of other roles that have the content too.
    mirrored
        Labels of places that have the content too, and that a program may keep like those of the set: one copy then.
    """

    id: str
    digest: bytes | None
    copies: tuple[StockFile, ...]
    reclaimable: int
    backed_up: tuple[str, ...] = ()
    mirrored: tuple[str, ...] = ()

    @property
    def size(self) -> int:
        """Bytes of the largest copy; all copies of one content are as large."""
        return max(copy.size for copy in self.copies)

    @property
    def kind(self) -> str:
        """The kind of the copies, as `kind_of_all` says where their suffixes tell different ones."""
        return kind_of_all(copy.kind for copy in self.copies)

    @property
    def spares(self) -> int:
        """How many files may go when one stays; hard links to one file count once."""
        return len({copy.identity for copy in self.copies}) - 1


def freed_files(names: Iterable[StockFile]) -> set[tuple[int, int]]:
    """Return the identities of the files that are gone when all these names go.

    A file with a further hard link, in a place or out of every place, keeps its space, and so does one that
    shares its blocks with a clone.
    """
    names_of: dict[tuple[int, int], int] = {}
    links: dict[tuple[int, int], int] = {}
    for file in names:
        if file.extent is not None:
            continue
        names_of[file.identity] = names_of.get(file.identity, 0) + 1
        links[file.identity] = file.links
    return {identity for identity, known in names_of.items() if known >= links[identity]}
