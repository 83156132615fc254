"""Whether a folder may be given up: each of its contents looked for on other volumes, by reading, in this run."""

import os
from collections import deque
from collections.abc import Iterator, Sequence
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass, field, replace
from typing import NamedTuple

from foldkeep.model import PathBytes, Problem, Progress, RunFileState, Settings, Step, StockFile, no_progress
from foldkeep.model.bin_names import bin_above
from foldkeep.model.names import lies_below
from foldkeep.model.remote import is_remote
from foldkeep.scan import places_here
from foldkeep.scan.candidates import Candidates
from foldkeep.scan.cards import Candidate, Card, CardFile, Seeker, Sought, check_stands, read_card
from foldkeep.stock import Archived, Stock

from .inventories import Cupboard, held_in
from .overview import check_on

_AHEAD = 4
_MOST_FILES = 3  # that are named of those that do not count


class Apart(NamedTuple):
    """What has a content too, but does not count: nobody read it in this run, or it is on its way out.

    Attributes
    ----------
    same_volume
        Whether a file on the folder's own volume has it.
    runs
        Numbers of the runs in whose folds it waits.
    bins
        Files in bins.
    away
        Labels of places that are away.
    mirrored
        Labels of places on servers that a program may keep like one on this machine.
    """

    same_volume: bool = False
    runs: tuple[int, ...] = ()
    bins: tuple[PathBytes, ...] = ()
    away: tuple[str, ...] = ()
    mirrored: tuple[str, ...] = ()
    packages: tuple[Archived, ...] = ()
    inventories: tuple[Cupboard, ...] = ()


@dataclass(frozen=True, slots=True)
class CardAnswer:
    """What became of one file of the folder: where it was read on other volumes, and what does not count.

    Attributes
    ----------
    known, volumes_known
        Files elsewhere that the stock knows to have its content, and on how many volumes they lie.
    unread
        A file of its size elsewhere that may have its content, but was never read whole; empty if there is none.
    """

    sought: Sought
    known: tuple[PathBytes, ...] = ()
    volumes_known: int = 0
    apart: Apart = field(default_factory=Apart)
    unread: PathBytes = b""


@dataclass
class CardCoverage:
    """The answer.

    Attributes
    ----------
    covered
        Files whose content was read on as many other volumes as were asked for; with `is_trusted`, known there.
    missing
        The others.
    enough
        On how many other volumes each content was to be.
    is_trusted
        Whether the stock was believed, so that nothing is proved.
    problems
        What kept files from being looked at, in and below the folder.
    """

    card: Card
    enough: int
    is_trusted: bool
    covered: list[CardAnswer] = field(default_factory=list)
    missing: list[CardAnswer] = field(default_factory=list)
    problems: list[Problem] = field(default_factory=list)

    @property
    def is_safe(self) -> bool | None:
        """Whether all was found where it was asked to be, by reading; None if the stock was believed."""
        return None if self.is_trusted else self.is_whole

    @property
    def is_whole(self) -> bool:
        """Whether all could be looked at, and was found where it was asked to be."""
        return bool(self.card.files) and not (self.missing or self.problems)

    @property
    def bytes(self) -> int:
        """The sum of the sizes of the files."""
        return sum(file.size for file in self.card.files)

    @property
    def on_more(self) -> int:
        """How many of the covered files the stock knows on one more volume than was asked for."""
        return sum(answer.volumes_known > self.enough for answer in self.covered)


def cover_card(
    stock: Stock,
    folder: PathBytes,
    settings: Settings,
    progress: Progress = no_progress,
    *,
    at_least: int = 1,
    on: Sequence[str] = (),
    trusts_stock: bool = False,
    inventories: Sequence[str] = (),
) -> CardCoverage:
    """Look for every content of a folder on other volumes, and say whether the folder may be given up.

    Files are found by their sizes and compared by their contents; both the file and what is found are read in this
    run, from their drives. What waits in folds or bins, packages and inventories do not count; they are told apart.

    Parameters
    ----------
    folder
        Absolute, without symbolic links; it need not lie in a place.
    at_least
        On how many other volumes each content has to be.
    on
        Roles, labels of places, names or keys of volumes: only what lies there counts.
    trusts_stock
        Believe the stock what lies elsewhere: a quick look, which proves nothing.

    Raises
    ------
    UnusableInput
        If `on` names no role, place or volume, or an inventory is no whole one.
    """
    check_on(stock, on)
    card = read_card(folder, settings)
    found = CardCoverage(card, at_least, trusts_stock, problems=list(card.problems))
    library = _Library(stock, folder, on)
    enough = 0 if trusts_stock else at_least
    for sought, candidates in _sought(card, library, enough, progress):
        answer = _answer(stock, library, sought, candidates)
        is_covered = len(sought.found) >= at_least or (
            trusts_stock and not sought.problem and answer.volumes_known >= at_least
        )
        (found.covered if is_covered else found.missing).append(answer)
    _add_inventories(found, inventories)
    found.problems += check_stands(card, settings)
    if not card.files and not found.problems:
        found.problems.append(Problem(folder, "holds no file with a content; is it mounted?"))
    return found


class _Library:
    """What the stock knows of files outside the folder, and which of them count."""

    def __init__(self, stock: Stock, folder: PathBytes, on: Sequence[str]) -> None:
        self._candidates = Candidates(stock)
        self._folder = folder
        self._on = frozenset(on)
        places = stock.places.all()
        remote = [place for place in places if is_remote(place.path)]
        self._here = places_here(stock) | {place.id for place in remote}
        self._mirrored = {
            place.id for place in remote
            if not all(stock.places.are_separate(place, other) for other in places if not is_remote(other.path))
        }  # fmt: skip
        self._volumes = stock.places.volumes()
        self._device = os.stat(folder).st_dev
        self._devices: dict[int, int] = {}

    def like(self, file: CardFile) -> list[StockFile]:
        """Return the files outside the folder that may have the content of one in it, by size and both ends."""
        try:
            similar = self._candidates.like(file.path, file.size)
        except OSError:
            return []  # that is told when it is to be read
        return [other for other in similar if not lies_below(other.path, self._folder)]

    def counts(self, file: StockFile) -> bool:
        """Tell whether a file may count if it is read: it is here, where it was asked for, and in no bin."""
        known = self._volumes[file.volume]
        words = (str(file.place.role), file.place.label, known.key, known.name)
        is_asked = not self._on or not self._on.isdisjoint(words)
        return is_asked and self.is_here(file) and not bin_above(file.path) and not self.may_be_mirrored(file)

    def may_be_mirrored(self, file: StockFile) -> bool:
        """Tell whether a file lies on a server, and a program may keep it like one on this machine."""
        return file.place.id in self._mirrored

    def is_here(self, file: StockFile) -> bool:
        """Tell whether the drive of a file is here."""
        return file.place.id in self._here

    def is_apart(self, file: StockFile) -> bool:
        """Tell whether a file lies on another volume than the folder, as far as the system's numbers tell."""
        if file.place.id not in self._devices:
            try:
                self._devices[file.place.id] = os.stat(file.place.path).st_dev
            except OSError:
                self._devices[file.place.id] = -1
        return self._devices[file.place.id] != self._device


def _sought(
    card: Card, library: _Library, enough: int, progress: Progress
) -> Iterator[tuple[Sought, list[StockFile]]]:  # fmt: skip
    """Yield what was found of each file, in their order, with the files elsewhere that may have its content."""
    total = sum(file.size for file in card.files)
    done = 0
    seeker = Seeker()
    running: deque[tuple[Future[Sought], list[StockFile]]] = deque()

    def settled() -> tuple[Sought, list[StockFile]]:
        nonlocal done
        future, candidates = running.popleft()
        sought = future.result()
        done += sought.file.size
        progress(Step("Reading and comparing", done, total, "bytes"))
        return sought, candidates

    with ThreadPoolExecutor(2) as executor:
        try:
            for file in card.files:
                similar = library.like(file)
                candidates = [Candidate(each.path, each.digest) for each in similar if library.counts(each)]
                running.append((executor.submit(seeker.seek, file, candidates, enough), similar))
                if len(running) >= _AHEAD:
                    yield settled()
            while running:
                yield settled()
        finally:
            for future, _ in running:
                future.cancel()


def _answer(stock: Stock, library: _Library, sought: Sought, similar: Sequence[StockFile]) -> CardAnswer:
    digest = sought.digest
    if not digest:
        return CardAnswer(sought)
    known = [file for file in similar if file.digest == digest]
    counting = [file for file in known if library.counts(file) and library.is_apart(file)]
    apart = Apart(
        sought.on_its_own or any(not library.is_apart(file) and library.is_here(file) for file in known),
        tuple(stock.ledger.runs_holding(digest, [RunFileState.WAITING])),
        tuple(file.path for file in known if bin_above(file.path))[:_MOST_FILES],
        tuple(sorted({file.place.label for file in known if not library.is_here(file)})),
        tuple(sorted({file.place.label for file in known if library.may_be_mirrored(file)})),
        tuple(dict.fromkeys(archive for archive, _ in stock.archives.holding(digest))),
    )
    unread = next((file.path for file in similar if file.digest is None and library.counts(file)), b"")
    volumes = len({file.volume for file in counting})
    return CardAnswer(sought, tuple(file.path for file in counting), volumes, apart, unread)


def _add_inventories(found: CardCoverage, inventories: Sequence[str]) -> None:
    """Add to what is missing in which inventories it is."""
    cupboards = held_in(inventories, {answer.sought.digest for answer in found.missing})
    found.missing = [
        replace(answer, apart=answer.apart._replace(inventories=tuple(cupboards.get(answer.sought.digest, ()))))
        for answer in found.missing
    ]
