"""What the ledger tells of runs and of the files in them."""

from collections import Counter
from collections.abc import Iterable
from enum import StrEnum
from typing import NamedTuple

from .dockets import Action
from .grades import Grade
from .names import PathBytes


class Method(StrEnum):
    """Ways to put spares away."""

    FOLD = "fold"  # into the fold of their place
    MOVE = "move"  # into a folder that the user names
    BIN = "bin"  # into the desktop's bin
    HARD_LINK = "hard-link"  # into the fold, and a link to the keeper in their place
    SYMLINK = "symlink"
    CLONE = "clone"  # into the fold, and a copy-on-write clone of the keeper in their place
    DELETE = "delete"  # for good
    COPY = "copy"  # a copy into a folder that the user names; nothing goes
    HEAL = "heal"  # what is damaged into the fold, and a good copy in its place
    EMPTY = "empty"  # for good, from the desktop's bin
    REWRITE = "rewrite"  # a sidecar into the fold, and one that says more in its place
    WRITE = "write"  # a sidecar where none was

    @property
    def links(self) -> bool:
        """Whether something of the keeper's takes the spare's name."""
        return self in (Method.HARD_LINK, Method.SYMLINK, Method.CLONE)

    @property
    def writes(self) -> bool:
        """Whether a sidecar of ours takes the name; never the method of a whole run."""
        return self in (Method.REWRITE, Method.WRITE)

    @property
    def is_for_dockets(self) -> bool:
        """Whether `fold` can carry out a docket by it."""
        return not self.writes and self is not Method.EMPTY

    @property
    def adds(self) -> bool:
        """Whether it puts good contents somewhere, instead of putting spares away."""
        return self in (Method.COPY, Method.HEAL)

    @property
    def action(self) -> Action:
        """The one action of a docket that it carries out, besides those that change nothing."""
        return {Method.COPY: Action.COPY, Method.HEAL: Action.HEAL}.get(self, Action.FOLD)

    @property
    def comes_back(self) -> bool:
        """Whether `unfold` can undo it."""
        return self not in (Method.BIN, Method.DELETE, Method.EMPTY)


class RunFileState(StrEnum):
    """States of a file of a run."""

    PLANNED = "planned"  # written down; whether it moved must be looked up on the disk
    LEFT = "left"  # nothing was done to it, with a reason
    WAITING = "waiting"  # in the fold
    MOVED = "moved"  # in another folder, from where it can come back
    BINNED = "binned"  # in the desktop's bin; only the desktop restores it
    MADE = "made"  # a sidecar, or a copy, that the run made where none was
    RESTORED = "restored"  # back where it was; of what was made, gone again
    REST = "rest"  # deleted, but for its rest, from which and its essence it can be rebuilt
    RELEASED = "released"  # deleted for good
    LOST = "lost"  # neither where it was put nor where it was: taken away by somebody else


class SourceFacts(NamedTuple):
    """Source of a derived file, or keeper of one that is alike, as it was when that was folded, and the evidence.

    Attributes
    ----------
    digest
        Empty where its content was not known.
    grade
        None where an earlier Fold Keep did not ask.
    recipe
        The name of the recipe that took the derived file; empty if none did.
    made
        Digest of the file itself; empty where it was not read.
    """

    size: int
    modified_ns: int
    digest: bytes = b""
    grade: Grade | None = None
    recipe: str = ""
    made: bytes = b""


class RunFile(NamedTuple):
    """One file of a run.

    Attributes
    ----------
    number
        Counts from 1 within the run; also names the file in the fold.
    place
        Absolute path of the place in whose fold it waits, or which it was moved out of.
    path
        Absolute path that it was folded from.
    slot
        Its name in the run's folder in the fold.
    digest
        BLAKE3 of its content; empty where nothing had to be compared.
    keeper
        The copy that it was compared with, or what it can be made again from, or what it was copied from; empty where
        there was none of these.
    target
        Where it was moved or copied to, or is to be; empty if it goes into the fold.
    method
        What is done to this one: a companion may be moved beside the keeper while its master is folded.
    words
        Of a sidecar: BLAKE3 of the one that says what it said, which was written in its place or lies at `keeper`.
        Of what is damaged: of the good content, which was put in its place.
    source
        What was at `keeper` when a derived file, or one that is alike, was folded; None for all others.
    target_volume
        What tells the volume of `target` from others, where that is not its place's; else empty.
    target_modified_ns
        The time that the volume of `target` gave it, which may be rounded; 0 where that is not known.
    mode
        Its permissions, where it moved to a volume that may not keep them; 0 where that is not known.
    link
        What the symbolic link in its place says, as a journal tells it; empty where the paths tell.
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
    target: bytes = b""
    method: Method = Method.FOLD
    words: bytes = b""
    source: SourceFacts | None = None
    target_volume: str = ""
    target_modified_ns: int = 0
    mode: int = 0
    link: bytes = b""

    @property
    def is_regenerable(self) -> bool:
        """Whether it can be made again from its keeper, instead of being a copy of that."""
        is_other = self.is_alike or self.has_essence or self.method.adds
        return bool(self.keeper) and not self.digest and not is_other

    @property
    def is_alike(self) -> bool:
        """Whether it is only alike its keeper, or decodes to the same, and a person has decided that it may go."""
        return self.source is not None and self.source.grade in (Grade.ALIKE, Grade.DECODED)

    @property
    def has_essence(self) -> bool:
        """Whether it has the essence of its keeper, and only other words."""
        return self.source is not None and self.source.grade is Grade.ESSENCE

    @property
    def may_have_rest(self) -> bool:
        """Whether something of it may be kept when it is released: what is written in it, or all of a sidecar."""
        return self.has_essence or self.is_sidecar

    @property
    def is_sidecar(self) -> bool:
        """Whether it is an XMP sidecar that went along with a spare."""
        return self.path.lower().endswith(b".xmp") and self.method in (Method.FOLD, Method.DELETE)

    @property
    def content(self) -> bytes:
        """The digest of what it held when it was folded; empty where it was not read."""
        return self.digest or (self.source.made if self.source else b"")


class Run(NamedTuple):
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
    method: Method
    docket: bytes
    started_ns: int
    underway: bool


class RunSummary(NamedTuple):
    """A run with its files counted by state: how many, and how many bytes.

    Attributes
    ----------
    away
        Places of a run that was broken off that are away, so that nobody knows what became of its files there.
    """

    run: Run
    files: dict[RunFileState, int]
    bytes: dict[RunFileState, int]
    away: tuple[PathBytes, ...] = ()

    @classmethod
    def of(cls, run: Run, files: Iterable[RunFile]) -> "RunSummary":
        """Count the files of a run."""
        counts: Counter[RunFileState] = Counter()
        sizes: Counter[RunFileState] = Counter()
        for file in files:
            counts[file.state] += 1
            sizes[file.state] += file.size
        return cls(run, dict(counts), dict(sizes))

    @property
    def went(self) -> int:
        """How many files are not where they were, by what is known."""
        return sum(number for state, number in self.files.items() if state not in _AT_HOME)


_AT_HOME = (RunFileState.PLANNED, RunFileState.LEFT, RunFileState.RESTORED)


def surely_began(summaries: Iterable[RunSummary], now_ns: int) -> dict[int, int]:
    """Return when each run began at the latest, in nanoseconds since the epoch, by its number.

    Runs follow each other, so one whose clock was set back is no older than those before it. One that a clock dated
    into the future says nothing of later ones.

    Parameters
    ----------
    summaries
        Those of all runs, the first run first.
    """
    began, latest_ns = {}, 0
    for summary in summaries:
        started_ns = summary.run.started_ns
        if started_ns <= now_ns:
            started_ns = latest_ns = max(latest_ns, started_ns)
        began[summary.run.id] = started_ns
    return began
