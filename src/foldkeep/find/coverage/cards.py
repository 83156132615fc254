"""Whether a folder may be given up: each of its contents looked for on other disks, by reading, in this run."""

import os
from collections import deque
from collections.abc import Iterator, Sequence
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass, field, replace
from typing import NamedTuple

from foldkeep.model import PathBytes, Problem, Progress, Settings, Step, StockFile, no_progress
from foldkeep.model.disks import Disks, count_apart, why_not_apart
from foldkeep.model.names import lies_below
from foldkeep.model.remote import is_remote
from foldkeep.scan import places_here
from foldkeep.scan.bins import lies_in_a_bin
from foldkeep.scan.candidates import Candidates
from foldkeep.scan.cards import Candidate, Card, CardFile, Seeker, Sought, Unsure, check_stands, read_card
from foldkeep.scan.disks import DisksOfFiles
from foldkeep.scan.probes import why_not_two
from foldkeep.stock import Archived, Stock

from .inventories import Cupboard, held_in
from .overview import check_on

_AHEAD = 4
_MOST_FILES = 3  # that are named of those that do not count


class Apart(NamedTuple):
    """What has a content too, but does not count: nobody read it in this run, or it is on its way out.

    Attributes
    ----------
    same_disk
        Whether a file on the folder's own disk has it.
    runs
        Numbers of the runs in whose folds it waits.
    bins
        Files in bins.
    away
        Labels of places that are away.
    mirrored
        Labels of places on servers that a program may keep like one on this machine.
    """

    same_disk: bool = False
    runs: tuple[int, ...] = ()
    bins: tuple[PathBytes, ...] = ()
    away: tuple[str, ...] = ()
    mirrored: tuple[str, ...] = ()
    packages: tuple[Archived, ...] = ()
    inventories: tuple[Cupboard, ...] = ()


@dataclass(frozen=True, slots=True)
class CardAnswer:
    """What became of one file of the folder: where it was read on other disks, and what does not count.

    Attributes
    ----------
    known, disks_known
        Files on other disks that the stock knows to have its content, and on how many disks they lie at least.
    unsure
        A file that has it on a disk that is not known to be another; None if there is none.
    unread
        A file of its size elsewhere that may have its content, but was never read whole; empty if there is none.
    """

    sought: Sought
    known: tuple[PathBytes, ...] = ()
    disks_known: int = 0
    unsure: Unsure | None = None
    apart: Apart = field(default_factory=Apart)
    unread: PathBytes = b""


@dataclass
class CardCoverage:
    """The answer.

    Attributes
    ----------
    disk
        The disk of the folder.
    covered
        Files whose content was read on as many other disks as were asked for; with `is_trusted`, known there.
    missing
        The others.
    enough
        On how many other disks each content was to be.
    is_trusted
        Whether the stock was believed, so that nothing is proved.
    on_servers
        How many files rest on a copy on a server.
    problems
        What kept files from being looked at, in and below the folder.
    """

    card: Card
    disk: Disks
    enough: int
    is_trusted: bool
    on_servers: int = 0
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
        """How many of the covered files the stock knows on one more disk than was asked for."""
        return sum(answer.disks_known > self.enough for answer in self.covered)

    @property
    def disks(self) -> list[str]:
        """What a person knows the other disks by on which contents were read."""
        return sorted({name for answer in self.covered for name in answer.sought.disks})


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
    """Look for every content of a folder on other disks, and say whether the folder may be given up.

    Files are found by their sizes and compared by their contents; both the file and what is found are read in this
    run, from their drives. A disk is another one only if that is found out, or was said. What waits in folds or bins,
    packages and inventories do not count; they are told apart.

    Parameters
    ----------
    folder
        Absolute, without symbolic links; it need not lie in a place.
    at_least
        On how many other disks each content has to be.
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
    library = _Library(stock, folder, on)
    found = CardCoverage(card, library.own_disks, at_least, trusts_stock, problems=list(card.problems))
    enough = 0 if trusts_stock else at_least
    answers = [_answer(stock, library, *each) for each in _sought(card, library, enough, progress)]
    found.on_servers, answers = _without_views(folder, answers)
    for answer in answers:
        sought = answer.sought
        is_covered = len(sought.found) >= at_least or (
            trusts_stock and not sought.problem and answer.disks_known >= at_least
        )
        (found.covered if is_covered else found.missing).append(answer)
    _add_inventories(found, inventories)
    found.problems += check_stands(card, settings)
    if not card.files and not found.problems:
        found.problems.append(Problem(folder, "holds no file with a content; is it mounted?"))
    return found


def _without_views(folder: PathBytes, answers: list[CardAnswer]) -> tuple[int, list[CardAnswer]]:
    """Return answers without what is read on a server that may show the folder itself, and how many rest on servers."""
    afar = {path for answer in answers for path in answer.sought.found if is_remote(path)}
    reasons = why_not_two(folder, afar) if afar else {}
    told: list[CardAnswer] = []
    for answer in answers:
        stays = [path for path in answer.sought.found if not reasons.get(path.rpartition(b"/")[0])]
        gone = [path for path in answer.sought.found if path not in stays]
        if gone:
            why = Unsure(gone[0], reasons[gone[0].rpartition(b"/")[0]])
            answer = replace(answer, sought=answer.sought._replace(found=tuple(stays)), unsure=why)
        told.append(answer)
    return sum(any(map(is_remote, answer.sought.found)) for answer in told), told


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
        self.disks = DisksOfFiles(stock)
        self.own_disks = self.disks.now(folder, os.stat(folder).st_dev)
        self._at: dict[tuple[int, int], Disks] = {}

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
        return is_asked and self.is_here(file) and not lies_in_a_bin(file.path) and not self.may_be_mirrored(file)

    def may_be_mirrored(self, file: StockFile) -> bool:
        """Tell whether a file lies on a server, and a program may keep it like one on this machine."""
        return file.place.id in self._mirrored

    def is_here(self, file: StockFile) -> bool:
        """Tell whether the drive of a file is here."""
        return file.place.id in self._here

    def disks_of(self, file: StockFile) -> Disks:
        """Return the disks of a file of the stock."""
        at = (file.place.id, file.volume)
        if at not in self._at:
            self._at[at] = self.disks.of_place(file.place, file.volume, is_here=self.is_here(file))
        return self._at[at]


def _sought(
    card: Card, library: _Library, enough: int, progress: Progress
) -> Iterator[tuple[Sought, list[StockFile]]]:  # fmt: skip
    """Yield what was found of each file, in their order, with the files elsewhere that may have its content."""
    total = sum(file.size for file in card.files)
    done = 0
    seeker = Seeker(library.disks)
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
    reasons = {file.path: why_not_apart(library.own_disks, library.disks_of(file)) for file in known}
    counting = [file for file in known if library.counts(file) and not reasons[file.path]]
    own = library.own_disks.keys
    apart = Apart(
        sought.on_its_own or any(own & library.disks_of(file).keys and library.is_here(file) for file in known),
        tuple(stock.ledger.runs_holding(digest)),
        tuple(file.path for file in known if lies_in_a_bin(file.path))[:_MOST_FILES],
        tuple(sorted({file.place.label for file in known if not library.is_here(file)})),
        tuple(sorted({file.place.label for file in known if library.may_be_mirrored(file)})),
        tuple(dict.fromkeys(archive for archive, _ in stock.archives.holding(digest))),
    )
    unread = next((file.path for file in similar if file.digest is None and library.counts(file)), b"")
    doubtful = (
        Unsure(file.path, reasons[file.path])
        for file in known if library.counts(file) and reasons[file.path] and not own & library.disks_of(file).keys
    )  # fmt: skip
    disks = count_apart([library.disks_of(file) for file in counting])
    unsure = sought.unsure or next(doubtful, None)
    return CardAnswer(sought, tuple(file.path for file in counting), disks, unsure, apart, unread)


def _add_inventories(found: CardCoverage, inventories: Sequence[str]) -> None:
    """Add to what is missing in which inventories it is."""
    cupboards = held_in(inventories, {answer.sought.digest for answer in found.missing})
    found.missing = [
        replace(answer, apart=answer.apart._replace(inventories=tuple(cupboards.get(answer.sought.digest, ()))))
        for answer in found.missing
    ]
