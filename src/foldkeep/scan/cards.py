"""A folder that may be given up: everything that lies in it, read, and looked for elsewhere by reading."""

import os
from collections.abc import Iterable, Iterator, Sequence
from contextlib import suppress
from dataclasses import dataclass, field
from typing import NamedTuple

from foldkeep.formats.documents import LARGEST_LITTER, kind_of_litter, may_be_litter
from foldkeep.model import PathBytes, Problem, Settings, UnusableInput
from foldkeep.model.disks import why_not_apart
from foldkeep.model.names import lies_in_a_fold
from foldkeep.model.remote import is_remote
from foldkeep.model.settings import ASKABLE
from foldkeep.model.work import reason_of
from foldkeep.storage.local.changes import flush
from foldkeep.storage.local.reading import (
    Stamp,
    digest_of,
    facts_at,
    forget_pages,
    is_regular,
    may_be_one,
    may_have_one,
    modified_ns,
    opened,
)
from foldkeep.storage.remote import read_remote

from .disks import DisksOfFiles
from .own_papers import is_own_paper
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
    litter
        Files that a system or Fold Keep itself wrote for its own use: known by their content, read, and told apart.
    folded
        How many of the files wait in a fold there.
    identity
        Device and inode of the folder itself.
    """

    path: PathBytes
    files: list[CardFile] = field(default_factory=list)
    empty: int = 0
    litter: list[CardFile] = field(default_factory=list)
    folded: int = 0
    problems: list[Problem] = field(default_factory=list)
    identity: tuple[int, int] = (0, 0)


def read_card(top: PathBytes, settings: Settings) -> Card:
    """List everything at and below a folder, whatever its names: no rule by which a scan passes files by applies.

    Folds are walked as well. Other volumes in it are problems. What may be litter by its name is read: its content
    decides whether it is.
    """
    everything = settings._replace(
        asked=frozenset(ASKABLE) - {"volumes"}, ignore_folders=(), ignore_names=(), ignore_suffixes=(),
        smallest=0, largest=None,
    )  # fmt: skip
    looking = Looking(everything, folds=True)
    card = Card(top)
    for listing in walk(top, looking):
        if listing.path == top:
            card.identity = (listing.device, listing.inode)
        card.problems += listing.problems
        card.problems += _unseen_in(listing)
        for sighting in listing.sightings(looking):
            path = os.path.join(listing.path, sighting.name)
            if not sighting.size:
                card.empty += 1
                continue
            file = CardFile(path, sighting.kind, sighting.size, sighting.modified_ns)
            if _is_litter(file):
                card.litter.append(file)
            else:
                card.files.append(file)
                card.folded += lies_in_a_fold(path)
    card.files.sort(key=lambda file: file.path)
    return card


def _unseen_in(listing: Listing) -> Iterator[Problem]:
    """Yield what keeps a folder from being looked at whole: other volumes in it."""
    for path in listing.folders:
        try:
            # What is mounted there may be anything, also what the system makes up as it is read.
            if os.lstat(path).st_dev != listing.device:
                yield Problem(path, "is another volume; ask for it by itself")
        except OSError as error:
            yield Problem(path, reason_of(error))


def _is_litter(file: CardFile) -> bool:
    """Tell whether a file is a system's or Fold Keep's own, by its content; what cannot be read is not."""
    if not (may_be_litter(file.path) or lies_in_a_fold(file.path)) or file.size > LARGEST_LITTER:
        return False
    try:
        with opened(file.path) as descriptor:
            content = os.pread(descriptor, file.size + 1, 0)
    except OSError:
        return False
    return len(content) == file.size and bool(kind_of_litter(file.path, content) or is_own_paper(file.path, content))


class Candidate(NamedTuple):
    """A file elsewhere that may have the content of one, as the stock knows it; `digest` is None if it was not read."""

    path: PathBytes
    digest: bytes | None


class Unsure(NamedTuple):
    """A file that may have a content, and why it does not count as being on another disk."""

    path: PathBytes
    why: str


class Sought(NamedTuple):
    """What was found of one file.

    Attributes
    ----------
    digest
        Of its content; empty if it could not be read.
    found
        Files on other disks that have its content, read now; no two of them on one disk.
    disks
        What a person knows these disks by.
    on_its_own
        Whether one has it that lies on its own disk, or may be the file itself.
    unsure
        A file that has its content, as it was read or as the stock knows, on a disk that is not known to be another;
        None if there is none.
    problem
        Why it could not be read; empty if it could.
    unreadable
        A file elsewhere that may have its content, and cannot be read; empty if there is none.
    differing
        Files elsewhere that were read and have another content.
    """

    file: CardFile
    digest: bytes = b""
    found: tuple[PathBytes, ...] = ()
    disks: tuple[str, ...] = ()
    on_its_own: bool = False
    unsure: Unsure | None = None
    problem: str = ""
    unreadable: PathBytes = b""
    differing: tuple[PathBytes, ...] = ()


class Seeker:
    """Reads files of one folder, and those elsewhere that may have their contents; used by several threads at once."""

    def __init__(self, disks: DisksOfFiles) -> None:
        self._disks = disks

    def seek(self, file: CardFile, candidates: Sequence[Candidate], enough: int) -> Sought:
        """Read a file, and then those elsewhere that may have its content, until enough other disks have it.

        All is read from the drives, not from memory: what was copied a moment ago may not be on its drive yet.

        Parameters
        ----------
        enough
            How many other disks are enough; with 0 the file alone is read.
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
            search = _Search(file, facts, digest, ends_at(file.path, size), self._disks)
        except OSError as error:
            return Sought(file, problem=f"cannot be read: {reason_of(error)}")
        for path in _in_order(candidates, digest) if enough else ():
            search.look_at(path)
            if len(search.found) >= enough:
                break
        names = tuple(disks.name for _, disks in search.disks[1:])
        return Sought(
            file, digest, tuple(search.found), names, search.on_its_own, search.unsure,
            unreadable=search.unreadable, differing=tuple(search.differing),
        )  # fmt: skip


class _Search:
    """The search for the content of one file: what was found, on which disks."""

    def __init__(self, file: CardFile, facts: os.stat_result, digest: bytes, ends: int, disks: DisksOfFiles) -> None:
        self._file, self._facts, self._digest, self._ends, self._disks_of = file, facts, digest, ends, disks
        self.disks = [(file.path, disks.now(file.path, facts.st_dev))]
        self.found: list[PathBytes] = []
        self.on_its_own = False
        self.unsure: Unsure | None = None
        self.unreadable: PathBytes = b""
        self.differing: list[PathBytes] = []

    def look_at(self, path: PathBytes) -> None:
        """Take a file into account that may have the content."""
        try:
            there = None if is_remote(path) else facts_at(path)
            disks = self._disks_of.now(path, there.st_dev) if there else self._disks_of.on_server(path)
            reasons = [why_not_apart(other, disks) for _, other in self.disks]
            if there and may_be_one(there, self._facts):
                self.on_its_own = True
            elif not any(reasons):
                if self._has_content(path):
                    self.found.append(path)
                    self.disks.append((path, disks))
                else:
                    self.differing.append(path)
            elif disks.keys & self.disks[0][1].keys:
                self.on_its_own = True
            elif self.unsure is None:
                self.unsure = Unsure(path, next(filter(None, reasons)))
        except (FileNotFoundError, NotADirectoryError):
            return
        except (OSError, UnusableInput):
            self.unreadable = self.unreadable or path

    def _has_content(self, path: PathBytes) -> bool:
        if is_remote(path):
            return read_remote(path)[0] == self._digest
        return _has_content(path, self._digest, self._file.size, self._ends, self._facts)


def _in_order(candidates: Iterable[Candidate], digest: bytes) -> list[PathBytes]:
    """Return the paths of those that may have a content: here before servers, those first that are known to have had
    it.
    """
    may = [each for each in candidates if each.digest in (None, digest)]
    return [each.path for each in sorted(may, key=lambda each: (is_remote(each.path), each.digest is None))]


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
    before, after = ({each.path: each for each in (*found.files, *found.litter)} for found in (card, now))
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
