"""The docket: what is proposed for each file, and why."""

from enum import StrEnum
from typing import NamedTuple

from .recipes import CACHE, WHATS


class Action(StrEnum):
    """Proposals of a docket for a file."""

    KEEP = "keep"
    FOLD = "fold"
    LEAVE = "leave"
    COPY = "copy"  # into the folder that `fold --method copy` is given
    HEAL = "heal"  # what is damaged gives way to a good copy of its set


class DocketRow(NamedTuple):
    """One file of a docket.

    Attributes
    ----------
    set
        The set that the file belongs to; the files that stay in a set vouch for those that go.
    path
        Absolute path; a docket file carries it as a URI, which is what counts, and in visible form.
    kind
        What a person knows it by. It counts in one case: what can be made again is of a kind of its own.
    digest
        BLAKE3 of the content, or None where the finder did not need one.
    """

    set: str
    action: Action
    path: bytes
    size: int
    kind: str
    modified_ns: int
    digest: bytes | None
    reason: str

    @property
    def is_regenerable(self) -> bool:
        """Whether the rows that stay in its set are not copies of it but what it can be made again from."""
        return self.kind in WHATS or self.kind == CACHE
