"""What a check-up finds: one value for each topic."""

from dataclasses import dataclass
from enum import StrEnum

from foldkeep.model import PathBytes
from foldkeep.model.names import file_uri


class Topic(StrEnum):
    """Topics of a check-up, in the order in which they are told."""

    DRIVES = "drives"
    SPACE = "space"
    FIXITY = "fixity"
    CATALOGS = "catalogs"
    FOLDS = "folds"
    SPARES = "spares"
    ONCE = "once"
    CACHES = "caches"
    PROJECTS = "projects"


BROKEN_OFF = "interrupted"
"""The problem of a run that was broken off where its places are here; else it is the places that are away."""


@dataclass(frozen=True, slots=True)
class Item:
    """One of what was found: a place, a volume, a file, a run, a project or a catalogue.

    Attributes
    ----------
    name
        A path as bytes, else what a person calls it; of space on a server the path of its place.
    count, bytes
        Files or entries, and bytes; of a volume the bytes that are free.
    when_ns
        Of a place, when it was scanned last; of a run, when it was begun; else 0.
    total
        Of a volume, its size.
    wants_person
        Whether this one is why somebody is wanted.
    problem
        Why it could not be looked at; empty if it could.
    """

    name: str | PathBytes
    count: int = 0
    bytes: int = 0
    when_ns: int = 0
    total: int = 0
    wants_person: bool = False
    problem: str = ""

    @property
    def key(self) -> str:
        """What tells it from others, as text."""
        return file_uri(self.name) if isinstance(self.name, bytes) else self.name


@dataclass(frozen=True, slots=True)
class Finding:
    """What there is under a topic.

    Attributes
    ----------
    wants_person
        Whether somebody should see to it: it is pressing, or more than at the last check-up.
    count, bytes
        How much of it there is: places away, full volumes, damaged files, missing entries, waiting files, spares,
        contents that are not on two disks, derived files, quiet projects.
    new, new_bytes
        How much of that was not there at the last check-up.
    sets
        Of spares, how many sets they are in.
    of
        Of contents that are not on two disks, how many contents there are in all.
    unread, unread_bytes
        Of fixity, files that were not read again for a year.
    since_ns
        When the topic was looked at last, nanoseconds since the epoch; 0 if never.
    items
        Single ones, those that want somebody first.
    """

    topic: Topic
    wants_person: bool
    count: int = 0
    bytes: int = 0
    new: int = 0
    new_bytes: int = 0
    sets: int = 0
    of: int = 0
    unread: int = 0
    unread_bytes: int = 0
    since_ns: int = 0
    items: tuple[Item, ...] = ()
