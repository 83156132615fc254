"""What the methods work with: the open folders of one place and run, and what is known of them."""

import os
import socket
from collections.abc import Container, Iterable, Iterator
from contextlib import suppress
from dataclasses import dataclass, field

from foldkeep.model import PathBytes, Problem, RunFile, visible
from foldkeep.model.companions import are_a_pair, belongs_to
from foldkeep.model.names import names_to_try
from foldkeep.model.volumes import Way
from foldkeep.storage import storage_at
from foldkeep.storage.local.changes import Folders, flush, move_to_free, way_of_moving
from foldkeep.storage.local.reading import Stamp, Stamps, facts_at, facts_of, open_in

from .journal import FolderTouched
from .rests import Having
from .runs.plan import Item, Merged
from .vault import PROBES, Vault
from .verify import NOTHING, Comparison, Verified

Spot = tuple[int, bytes]
"""An open folder, and a name in it."""


@dataclass(frozen=True, slots=True)
class Ready:
    """A file that was looked at and may be worked on.

    Attributes
    ----------
    file
        As it will be when that is done.
    folder, name
        The open folder that it lies in, and its name there.
    copy
        Where it moves to another volume: the copy, which lies beside its target under a name of ours; else None.
    stand_in
        What was made to take its name, and lies in the vault; None if nothing was.
    """

    item: Item
    file: RunFile
    folder: int
    name: bytes
    verified: Verified = NOTHING
    copy: os.stat_result | None = None
    stand_in: os.stat_result | None = None

    @property
    def home(self) -> Spot:
        """Where it lies."""
        return self.folder, self.name


@dataclass
class Bench:
    """The open folders of one place and run, and what is noted while its files are worked on.

    Attributes
    ----------
    folders, targets
        The folders of the place, and those that files move to.
    went
        Paths of files that have gone in this run, in all places.
    into
        The folder that files are moved into, with the device that it had when that was asked for.
    promised
        Paths that files are to get, so that no two get one.
    having
        Tells where files may lie that have an essence.
    merged
        The sidecars that were written.
    notes
        What could not be kept as it was, or had to go elsewhere.
    """

    key: str
    vault: Vault
    folders: Folders
    targets: Folders
    comparison: Comparison = field(default_factory=Comparison)
    stamps: Stamps = field(default_factory=Stamps)
    went: Container[PathBytes] = ()
    keeps_words: bool = False
    into: tuple[PathBytes, int] | None = None
    promised: set[PathBytes] = field(default_factory=set)
    having: Having = lambda file, _: [file.keeper]
    merged: list[Merged] = field(default_factory=list)
    expected: dict[int, Merged] = field(default_factory=dict)
    notes: list[Problem] = field(default_factory=list)
    _touched: set[PathBytes] = field(default_factory=set)
    _volumes: dict[int, str] = field(default_factory=dict)
    _way: Way | None = None

    def __post_init__(self) -> None:
        # How names change on a volume is only tried out with our own; of others', every look may be an old one.
        with suppress(OSError):
            self._way = way_of_moving(self.vault.files, PROBES)

    def slot(self, file: RunFile) -> Spot:
        """Return where a file waits in the vault."""
        return self.vault.files, os.fsencode(file.slot)

    def witness_stands(self, verified: Verified) -> bool:
        """Look whether what vouches for a file is still what it was when it was read."""
        witness = verified.witness
        return witness is None or witness.stands(self.stamps)

    def touched(self) -> list[FolderTouched]:
        """Return records of the times of folders that were opened since this was asked last."""
        found = []
        for folders in (self.folders, self.targets):
            for path, times in folders.first_times.items():
                if path not in self._touched:
                    self._touched.add(path)
                    found.append(FolderTouched(path, times))
        return found

    def volume_key(self, folder: int, path: PathBytes) -> str:
        """Return what tells the volume of an open folder from others."""
        device = os.fstat(folder).st_dev
        if device not in self._volumes:
            self._volumes[device] = volume_key(path, device)
        return self._volumes[device]

    def makes_claims(self) -> bool:
        """Tell whether names change here by moving onto empty files."""
        return self._way is Way.CLAIM

    def back_home(self, spot: Spot, folder: int, name: bytes) -> str:
        """Put a file back under its name, or beside it where that was taken; return words on that, or none."""
        got = move_to_free(*spot, folder, name)
        facts = facts_of(folder, got)
        if facts is not None:
            self.stamps.note(facts)
        return "" if got == name else f"; its name was taken, so it is {os.fsdecode(got)!r} now"

    def give_back(self, file: RunFile, spot: Spot, home: Spot) -> None:
        """Put what is not ours, or not proved to be, back under its name, or beside it; then that is told."""
        wanted = home[1]
        got = move_to_free(*spot, *home)
        if got != wanted:
            path = os.path.join(os.path.dirname(file.path), got)
            self.notes.append(Problem(path, f"is what somebody saved as {visible(file.path)}, whose name was taken"))

    def is_still(self, spot: Spot, stamp: Stamp) -> bool:
        """Look whether a name in an open folder stands for a file as it was."""
        try:
            descriptor = open_in(spot[0], spot[1])
        except OSError:
            return False
        try:
            return self.stamps.is_same(stamp, os.fstat(descriptor))
        finally:
            os.close(descriptor)

    def note_if_same(self, path: PathBytes, made: os.stat_result) -> None:
        """Note what a keeper is after a link to it was taken away again."""
        with suppress(OSError):
            facts = facts_at(path)
            if os.path.samestat(facts, made):
                self.stamps.note(facts)

    def flush(self, *, returning: bool = False) -> None:
        """Make what was done last through a power cut: new names first, and only then that the old ones are gone.

        A file system without a journal of its own (FAT, exFAT) writes each folder by itself.
        """
        if returning:
            self.folders.flush()
        self.targets.flush()
        flush(self.vault.files)
        if not returning:
            self.folders.flush()


def volume_key(path: PathBytes, device: int) -> str:
    """Return what tells a volume from others, also on another computer."""
    key = storage_at(path).volume_of(path, device).key
    return key if not key.startswith("device:") else f"{key}@{socket.gethostname()}"


def free_names(folder: int, wanted: bytes, ours: Container[bytes] = ()) -> Iterator[bytes]:
    """Yield names that are free in an open folder, the wanted one first, then those beside it.

    A name beside the wanted one is passed by where it would make a companion of somebody else's file, or give one to
    this: a subtitle `kite-2.srt` belongs to a film `kite-2.mp4`.

    Parameters
    ----------
    ours
        Names that may be kin, since they were put there along with this one.
    """
    for name in names_to_try(wanted):
        if facts_of(folder, name) is None and (name == wanted or may_have(folder, name, ours)):
            yield name


def may_have(folder: int, name: bytes, ours: Container[bytes] = ()) -> bool:
    """Tell whether a file may get a name in an open folder without becoming kin of a file that is there."""
    names = map(os.fsencode, os.listdir(folder))
    return not may_be_kin(name, (other for other in names if other not in ours))


def may_be_kin(name: bytes, others: Iterable[bytes]) -> bool:
    """Tell whether a file of a name would be a companion of one of others, or one of them its."""
    return any(_are_kin(name, other) for other in others)


def _are_kin(name: bytes, other: bytes) -> bool:
    return belongs_to(name, other) or belongs_to(other, name) or are_a_pair(name, other)
