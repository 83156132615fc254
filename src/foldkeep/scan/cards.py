"""A folder that may be given up: everything that lies in it, read, and looked for elsewhere by reading."""

import os
from collections.abc import Iterable, Iterator, Sequence
from contextlib import suppress
from dataclasses import dataclass, field
from typing import NamedTuple

from foldkeep.model import PathBytes, Problem, Settings, UnusableInput
from foldkeep.model.bin_names import bin_above
from foldkeep.model.names import FOLD_NAME
from foldkeep.model.remote import is_remote, server_of
from foldkeep.model.settings import ASKABLE
from foldkeep.model.volumes import VolumeFacts
from foldkeep.model.work import reason_of
from foldkeep.storage import storage_at
from foldkeep.storage.local.changes import flush
from foldkeep.storage.local.drives import disk_of
from foldkeep.storage.local.reading import (
    Stamp,
    digest_of,
    facts_at,
    forget_pages,
    is_regular,
    may_have_one,
    modified_ns,
    opened,
)
from foldkeep.storage.remote import read_remote

from .reading import ends_at
from .skip_rules import Looking
from .walk import Listing, walk


class CardFile(NamedTuple):
    """A file of a folder that may be given up, as it was listed."""

    path: PathBytes
    kind: str
    size: int
    modified_ns: int


@dataclass
class Card:
    """A folder that may be given up.

    Attributes
    ----------
    files
        All that has a content.
    empty
        How many files have none.
    passed
        How many files are of the system's own, or lie in its bin.
    identity
        Device and inode of the folder itself.
    """

    path: PathBytes
    files: list[CardFile] = field(default_factory=list)
    empty: int = 0
    passed: int = 0
    problems: list[Problem] = field(default_factory=list)
    identity: tuple[int, int] = (0, 0)


def read_card(top: PathBytes, settings: Settings) -> Card:
    """List everything at and below a folder, hidden files too; nothing is passed by for its name but what the system
    keeps there for itself. Other volumes in it, and what waits in a fold there, are problems.
    """
    everything = settings._replace(
        asked=frozenset(ASKABLE) - {"volumes"}, ignore_folders=(), ignore_names=(), ignore_suffixes=(),
        smallest=0, largest=None,
    )  # fmt: skip
    looking, usual = Looking(everything), Looking(Settings())
    card = Card(top)
    for listing in walk(top, looking):
        if listing.path == top:
            card.identity = (listing.device, listing.inode)
        card.problems += listing.problems
        card.problems += _unseen_in(listing)
        below = listing.path[len(top) :].split(b"/")
        is_system = any(usual.passes_folder(os.fsdecode(step), b"") == "system" for step in below if step)
        for sighting in listing.sightings(looking):
            path = os.path.join(listing.path, sighting.name)
            if is_system or usual.passes_file(os.fsdecode(sighting.name)) == "system" or bin_above(path):
                card.passed += 1
            elif not sighting.size:
                card.empty += 1
            else:
                card.files.append(CardFile(path, sighting.kind, sighting.size, sighting.modified_ns))
    card.files.sort(key=lambda file: file.path)
    return card


def _unseen_in(listing: Listing) -> Iterator[Problem]:
    """Yield what keeps a folder from being looked at whole: other volumes in it, and what waits in a fold."""
    for path in listing.folders:
        try:
            # What is mounted there may be anything, also what the system makes up as it is read.
            if os.lstat(path).st_dev != listing.device:
                yield Problem(path, "is another volume; ask for it by itself")
        except OSError as error:
            yield Problem(path, reason_of(error))
    fold = os.path.join(listing.path, FOLD_NAME)
    try:
        runs = [entry.path for entry in os.scandir(fold) if entry.is_dir(follow_symlinks=False)]
        waiting = sum(len(os.listdir(run + b"/files")) for run in runs if os.path.isdir(run + b"/files"))
    except (FileNotFoundError, NotADirectoryError):
        return
    except OSError as error:
        yield Problem(fold, reason_of(error))
        return
    if waiting:
        files = "file" if waiting == 1 else "files"
        yield Problem(fold, f"has {waiting:,} folded {files}; unfold or release them first")


class Candidate(NamedTuple):
    """A file elsewhere that may have the content of one, as the stock knows it; `digest` is None if it was not read."""

    path: PathBytes
    digest: bytes | None


class Sought(NamedTuple):
    """What was found of one file.

    Attributes
    ----------
    digest
        Of its content; empty if it could not be read.
    found
        Files on other volumes that have its content, read now, one a volume.
    on_its_own
        Whether one has it that lies on its own volume, or may be the file itself.
    problem
        Why it could not be read; empty if it could.
    unreadable
        A file elsewhere that may have its content, and cannot be read; empty if there is none.
    """

    file: CardFile
    digest: bytes = b""
    found: tuple[PathBytes, ...] = ()
    on_its_own: bool = False
    problem: str = ""
    unreadable: PathBytes = b""


class Seeker:
    """Reads files of one folder, and those elsewhere that may have their contents; used by several threads at once."""

    def __init__(self) -> None:
        self._known: dict[int, tuple[VolumeFacts, str]] = {}

    def seek(self, file: CardFile, candidates: Sequence[Candidate], enough: int) -> Sought:
        """Read a file, and then those elsewhere that may have its content, until enough other volumes have it.

        All is read from the drives, not from memory: what was copied a moment ago may not be on its drive yet.

        Parameters
        ----------
        enough
            How many other volumes are enough; with 0 the file alone is read.
        """
        try:
            with opened(file.path) as descriptor:
                facts = os.fstat(descriptor)
                if not is_regular(facts) or (facts.st_size, modified_ns(facts)) != (file.size, file.modified_ns):
                    return Sought(file, problem="changed while it was looked at")
                forget_pages(descriptor)
                digest, size = digest_of(descriptor, file.size)
                if size != file.size or Stamp.of(os.fstat(descriptor)) != Stamp.of(facts):
                    return Sought(file, problem="changed while it was read")
            volumes, ends = [self._volume(file.path, facts)], ends_at(file.path, file.size)
        except OSError as error:
            return Sought(file, problem=f"cannot be read: {reason_of(error)}")
        found: list[PathBytes] = []
        on_its_own, unreadable = False, b""
        servers: set[bytes] = set()
        for path in _in_order(candidates, digest) if enough else ():
            try:
                if is_remote(path):
                    if server_of(path) not in servers and read_remote(path)[0] == digest:
                        found.append(path)
                        servers.add(server_of(path))
                        if len(found) >= enough:
                            break
                    continue
                there = facts_at(path)
                volume = self._volume(path, there)
                if any(volume.is_same(other) for other in volumes):
                    on_its_own |= volume.is_same(volumes[0])
                elif _has_content(path, digest, file.size, ends, facts):
                    found.append(path)
                    volumes.append(volume)
                    if len(found) >= enough:
                        break
            except (FileNotFoundError, NotADirectoryError):
                continue
            except (OSError, UnusableInput):
                unreadable = unreadable or path
        return Sought(file, digest, tuple(found), on_its_own, unreadable=unreadable)

    def _volume(self, path: PathBytes, facts: os.stat_result) -> "_Volume":
        folder = os.path.dirname(path)
        device = facts.st_dev
        if device not in self._known:
            self._known[device] = (storage_at(path).volume_of(folder, device), disk_of(folder, device))
        full = os.statvfs(folder)
        room = (full.f_blocks * full.f_frsize, full.f_files)
        times = (facts.st_mtime_ns, facts.st_ctime_ns)
        return _Volume(device, *self._known[device], room, times)


class _Volume(NamedTuple):
    """What tells the volume of a file from others.

    One volume that is seen through two mounts, as programs make them (FUSE), has two devices and may have two keys;
    but it has one size, and each file there one time of last change.
    """

    device: int
    facts: VolumeFacts
    disk: str
    room: tuple[int, int]
    times: tuple[int, int]

    def is_same(self, other: "_Volume") -> bool:
        """Tell whether two files lie on one volume, as far as can be told."""
        if self.device == other.device or self.disk == other.disk:
            return True
        if self.facts.is_lasting and other.facts.is_lasting:
            return False
        return self.room == other.room and self.times == other.times


def _in_order(candidates: Iterable[Candidate], digest: bytes) -> list[PathBytes]:
    """Return the paths of those that may have a content, those first that are known to have had it."""
    may = [each for each in candidates if each.digest in (None, digest)]
    return [each.path for each in sorted(may, key=lambda each: each.digest is None)]


def _has_content(path: PathBytes, digest: bytes, size: int, ends: int, but_for: os.stat_result) -> bool:
    """Tell whether a file is another one than was read, and has its content, read from its drive."""
    with opened(path) as descriptor:
        facts = os.fstat(descriptor)
        if not is_regular(facts) or facts.st_size != size or may_have_one(Stamp.of(facts), Stamp.of(but_for)):
            return False
        if ends_at(path, size) != ends:
            return False
        with suppress(OSError):  # what cannot be written to has nothing that is not on it
            flush(descriptor)
        forget_pages(descriptor)
        return digest_of(descriptor, size) == (digest, size) and Stamp.of(os.fstat(descriptor)) == Stamp.of(facts)


def check_stands(card: Card, settings: Settings) -> list[Problem]:
    """Look at a folder once more and return what is not as it was: then not all of it was looked at."""
    now = read_card(card.path, settings)
    before, after = ({each.path: each for each in found.files} for found in (card, now))
    changed = sorted(path for path in before.keys() | after.keys() if before.get(path) != after.get(path))
    if now.identity != card.identity or _identity_of(card.path) != card.identity:
        now.problems.append(Problem(card.path, "went away while it was looked at"))
    return [Problem(path, "came, went or changed while the folder was looked at") for path in changed] + now.problems


def _identity_of(path: PathBytes) -> tuple[int, int] | None:
    try:
        facts = os.stat(path)
    except OSError:
        return None
    return facts.st_dev, facts.st_ino
