"""What a scan saw and did."""

from collections import Counter
from dataclasses import dataclass, field

from foldkeep.model import PathBytes, Problem


@dataclass
class ScanReport:
    """What a scan saw and did.

    Attributes
    ----------
    files, bytes
        Files seen in the places and the sum of their sizes; hard links to one file count once.
    hashed_files
        Files whose whole content was read.
    read_bytes
        Bytes of content read, ends included.
    fetched_bytes
        Those of them that came from servers.
    stated
        Files whose content was told by the digests that servers state of them, so that it was not fetched.
    moved
        Files recognised under a new path, so that nothing of them had to be read.
    contradictions
        Files read whose first bytes say something else than their suffix.
    rewritten
        Files read again that have another content than before, though their sizes and times are what they were.
    checked
        Whether contents were checked for damage.
    damaged
        Files of these places that something is wrong with, where they were checked.
    linked
        Devices and numbers of the files with several names that were seen.
    places
        Paths of the places that were looked at; those that are away are not among them.
    without_inodes
        Numbers of volumes whose inode numbers do not last.
    passed
        Names passed by, for each reason: ``hidden``, ``system``, ``bundles``, ``volumes``, ``ignored``,
        ``size``.
    """

    files: int = 0
    bytes: int = 0
    hashed_files: int = 0
    read_bytes: int = 0
    fetched_bytes: int = 0
    stated: int = 0
    moved: int = 0
    contradictions: int = 0
    rewritten: int = 0
    checked: bool = False
    damaged: int = 0
    seconds: float = 0.0
    passed: Counter[str] = field(default_factory=Counter)
    linked: set[tuple[int, int]] = field(default_factory=set)
    places: list[PathBytes] = field(default_factory=list)
    without_inodes: set[int] = field(default_factory=set)
    problems: list[Problem] = field(default_factory=list)
