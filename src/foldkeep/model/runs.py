"""What the ledger tells of runs and of the files in them."""

from collections import Counter
from collections.abc import Iterable
from dataclasses import dataclass
from enum import StrEnum


class RunFileState(StrEnum):
    """Where a file of a run is in its life."""

    PLANNED = "planned"  # written down; whether it moved must be looked up on the disk
    LEFT = "left"  # not folded, with a reason
    WAITING = "waiting"  # in the fold
    RESTORED = "restored"  # back out of the fold
    RELEASED = "released"  # deleted for good
    LOST = "lost"  # neither in the fold nor where it was: taken away by somebody else


@dataclass(frozen=True, slots=True)
class RunFile:
    """One file of a run.

    Attributes
    ----------
    number
        Counts from 1 within the run; also names the file in the fold.
    place
        Absolute path of the place in whose fold it waits.
    path
        Absolute path that it was folded from.
    slot
        Its name in the run's folder in the fold.
    keeper
        The copy that it was compared with.
    """

    run: int
    number: int
    place: bytes
    path: bytes
    slot: str
    size: int
    modified_ns: int
    digest: bytes
    keeper: bytes
    state: RunFileState
    reason: str = ""


@dataclass(frozen=True, slots=True)
class Run:
    """One carrying-out of a docket.

    Attributes
    ----------
    id
        The number that `unfold` and `release` name.
    key
        Unique across machines; names the run's folder in the fold of every place that it touched.
    started_ns
        Nanoseconds since the epoch.
    underway
        True from before the first change until every file's state is settled; a run that was killed
        stays so until the next command settles it.
    """

    id: int
    key: str
    method: str
    docket: bytes
    started_ns: int
    underway: bool


@dataclass(frozen=True, slots=True)
class RunSummary:
    """A run with its files counted by state: how many, and how many bytes."""

    run: Run
    files: dict[RunFileState, int]
    bytes: dict[RunFileState, int]

    @classmethod
    def of(cls, run: Run, files: Iterable[RunFile]) -> "RunSummary":
        """Count the files of a run."""
        counts: Counter[RunFileState] = Counter()
        sizes: Counter[RunFileState] = Counter()
        for file in files:
            counts[file.state] += 1
            sizes[file.state] += file.size
        return cls(run, dict(counts), dict(sizes))
