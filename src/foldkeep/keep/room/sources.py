"""What could go from a volume, one source of room after another; each says what would come free with it."""

import os
import time
from collections.abc import Callable, Container, Iterable, Iterator, Sequence
from contextlib import suppress
from dataclasses import dataclass, field
from datetime import timedelta
from typing import NamedTuple

from foldkeep.find.copies import MediaSet, Question, duplicates, same_decoded
from foldkeep.find.coverage import look_into_bins
from foldkeep.find.derived import Caches, Regenerable, Wish, caches
from foldkeep.find.projects import Activity, projects
from foldkeep.find.references import ProjectFolders
from foldkeep.model import Action, DocketRow, Filter, PathBytes, Progress, Role, RunFileState, StockFile
from foldkeep.model.catalogs import Catalog
from foldkeep.model.disks import Disks, count_apart, why_not_apart
from foldkeep.model.files import BLOCK_BYTES, freed_files
from foldkeep.model.names import FOLD_NAME, lies_below
from foldkeep.model.recipes import Recipe
from foldkeep.model.units import format_moment
from foldkeep.model.work import no_progress
from foldkeep.scan import places_here
from foldkeep.scan.disks import DisksOfFiles
from foldkeep.signals import Measures, MediaReader
from foldkeep.stock import Stock

from ..dockets import cache_rows, decoded_rows, project_rows
from ..keep_options import Wishes
from ..proposal import propose_for

LARGE = 100_000_000
"""Bytes from which on a file is large."""

OLD = timedelta(days=365)
"""How long a large file was not changed that is called old."""

_FEW_FOLDERS, _MORE_THAN_ENOUGH = 200, 2


class Unit(NamedTuple):
    """Files that go together, with the rows of a docket and what comes free with them.

    Attributes
    ----------
    bytes
        What comes free on the volume when they are gone.
    """

    rows: list[DocketRow]
    files: int
    bytes: int
    paths: frozenset[PathBytes]


@dataclass
class Room:
    """A volume, and what has to be known to find room on it.

    Attributes
    ----------
    volume, top
        Its number in the stock, and a place on it that is here.
    data_home
        The user's data folder, in which the first of the bins lies.
    quiet_after
        How long nothing must have changed in a project that is called quiet.
    release_after
        How long a fold waits before it is counted.
    large
        From how many bytes on a file is large.
    wanted
        How many bytes are to come free.
    going
        Paths of files that go in earlier steps.
    """

    stock: Stock
    volume: int
    top: PathBytes
    recipes: Sequence[Recipe] = ()
    folders: ProjectFolders | None = None
    catalogs: Sequence[Catalog] = ()
    wishes: Wishes = field(default_factory=Wishes)
    user_cache: PathBytes = b""
    data_home: PathBytes = b""
    quiet_after: timedelta = timedelta(days=183)
    release_after: timedelta = timedelta(days=30)
    large: int = LARGE
    wanted: int = 0
    going: Container[PathBytes] = ()
    progress: Progress = no_progress

    def freed(self, files: Iterable[StockFile]) -> int:
        """Return what comes free on the volume when all these names go: nothing with one that another name keeps."""
        here = [file for file in files if file.volume == self.volume]
        gone = freed_files(here)
        return sum({file.identity: file.disk_bytes for file in here if file.identity in gone}.values())

    def file_at(self, row: DocketRow) -> StockFile | None:
        """Return the file of a docket row, if it lies on the volume."""
        file = self.stock.listing.at(row.path)
        return file if file and file.volume == self.volume else None

    @property
    def now_ns(self) -> int:
        """The moment, in nanoseconds since the epoch."""
        return time.time_ns()


def waiting(room: Room) -> Iterator[Unit]:
    """Yield the runs whose files wait in folds on the volume for long, the first run first."""
    before_ns = room.now_ns - round(room.release_after.total_seconds() * 1e9)
    on_volume = {place.path for place in room.stock.places.all() if place.volume == room.volume}
    for summary in room.stock.ledger.waiting_before(before_ns):
        run, rows, freed = summary.run, [], 0
        for file in room.stock.ledger.files(run.id, [RunFileState.WAITING]):
            if file.place not in on_volume:
                continue
            slot = os.path.join(file.place, FOLD_NAME, os.fsencode(run.key), b"files", os.fsencode(file.slot))
            with suppress(OSError):
                facts = os.lstat(slot)
                freed += facts.st_blocks * BLOCK_BYTES if facts.st_nlink == 1 else 0
            reason = f"waits in the fold since {format_moment(run.started_ns)[:10]}: foldkeep release {run.id}"
            rows.append(
                DocketRow(f"r{run.id}", Action.LEAVE, file.path, file.size, "", file.modified_ns, file.digest or None,
                          reason)
            )  # fmt: skip
        if rows:
            yield Unit(rows, len(rows), freed, frozenset())


def in_bins(room: Room) -> Iterator[Unit]:
    """Yield what lies in bins on the volume and has copies elsewhere, the longest there first."""
    device = os.stat(room.top).st_dev
    for each in look_into_bins(room.stock, room.data_home, room.progress).found:
        item = each.item
        with suppress(OSError):
            if each.last or os.lstat(item.bin).st_dev != device:
                continue
            freed = sum({file.inode: file.disk_bytes for file in item.files if file.links == 1}.values())
            rows = [
                DocketRow("bin", Action.LEAVE, file.path, file.size, file.kind, file.modified_ns, None,
                          "lies in the desktop's bin: foldkeep release --bin")
                for file in item.files
            ]  # fmt: skip
            yield Unit(rows, len(rows), freed, frozenset())


def unused_caches(room: Room) -> Iterator[Unit]:
    """Yield proved regenerables that nobody uses, the least recently used first."""
    yield from _regenerables(room, Wish(unused=True))


def other_caches(room: Room) -> Iterator[Unit]:
    """Yield all other proved regenerables, the least recently used first."""
    yield from _regenerables(room, Wish())


def _regenerables(room: Room, wish: Wish) -> Iterator[Unit]:
    measures = Measures(room.stock, films=(), progress=room.progress)
    found = caches(room.stock, room.recipes, wish, room.folders, room.user_cache, measures)
    here = [each for each in found.found if _is_on(room, each)]
    here.sort(key=lambda each: (found.last_use.of(each), each.path))
    for each in here:
        file = room.stock.listing.at(each.path)
        rows = list(cache_rows(Caches(found=[each]), room.stock))
        if file and any(row.action is Action.FOLD for row in rows):
            yield Unit(rows, 1, room.freed([file]), frozenset((each.path,)))


def _is_on(room: Room, each: Regenerable) -> bool:
    return each.place.volume == room.volume and each.place.role is Role.WORKING


def spares(room: Room) -> Iterator[Unit]:
    """Yield sets with spares on the volume, chosen as `keep` chooses, the largest saving first."""
    seen: set[str] = set()
    for wanted in (*_folders_of_largest(room), room.wishes.wanted):
        question = Question(wanted=wanted)
        rows = propose_for(
            room.stock, question, room.wishes, room.folders, room.catalogs, progress=room.progress
        )  # fmt: skip
        for group in _by_set(rows):
            if group[0].set not in seen:
                seen.add(group[0].set)
                yield from _going(room, group, "a copy on another volume, which frees nothing here")


def _folders_of_largest(room: Room) -> Iterator[Filter]:
    """Yield a filter for the folders of the largest sets, if few folders have enough: all else need not be looked at.

    The rules of `keep` weigh whole folders against each other, so all sets of a folder are asked for.
    """
    folders: dict[PathBytes, None] = {}
    saving = 0
    for each in duplicates(room.stock, Question(wanted=room.wishes.wanted)).sets():
        saving += each.reclaimable
        folders |= dict.fromkeys(os.path.dirname(copy.path) for copy in each.copies)
        if len(folders) > _FEW_FOLDERS:
            return
        if saving > _MORE_THAN_ENOUGH * room.wanted:
            yield room.wishes.wanted._replace(under=tuple(folders))
            return


def _by_set(rows: Iterable[DocketRow]) -> Iterator[list[DocketRow]]:
    """Yield rows that follow each other in one set."""
    group: list[DocketRow] = []
    for row in rows:
        if group and row.set != group[0].set:
            yield group
            group = []
        group.append(row)
    if group:
        yield group


def _going(room: Room, rows: list[DocketRow], elsewhere: str) -> Iterator[Unit]:
    """Yield a set of which something goes from the volume; what would go from another stays."""
    going: dict[PathBytes, StockFile] = {}
    kept = []
    for row in rows:
        file = room.file_at(row) if row.action is Action.FOLD else None
        if file:
            going[row.path] = file
        kept.append(
            row if file or row.action is not Action.FOLD else row._replace(action=Action.LEAVE, reason=elsewhere)
        )
    if going:
        yield Unit(kept, len(going), room.freed(going.values()), frozenset(going))


def decoded_twins(room: Room) -> Iterator[Unit]:
    """Yield files that are known to decode to the same as another, of which the suggested one stays."""
    with MediaReader(room.stock) as reader:
        found: list[MediaSet] = same_decoded(room.stock, reader, Question())
    for each in found:
        rows = list(decoded_rows([each]))
        roles = {copy.file.path: copy.file.place.role for copy in each.copies}
        chosen = [
            row._replace(action=Action.FOLD if number and roles[row.path] is Role.WORKING else Action.KEEP)
            for number, row in enumerate(rows)
        ]
        yield from _going(room, chosen, "on another volume, which frees nothing here")


def quiet_projects(room: Room) -> Iterator[Unit]:
    """Yield projects on the volume that have gone quiet and could be archived elsewhere, the quietest first."""
    measures = Measures(room.stock, films=(), progress=room.progress)
    before_ns = room.now_ns - round(room.quiet_after.total_seconds() * 1e9)
    tops = {place.path for place in room.stock.places.all()
            if place.volume == room.volume and place.role is Role.WORKING}  # fmt: skip
    for project in projects(room.stock, room.recipes, room.folders, before_ns, measures=measures):
        if project.activity is not Activity.QUIET or not any(lies_below(project.path, top) for top in tops):
            continue
        rows = [
            row._replace(action=Action.FOLD) for row in project_rows([project]) if row.action is Action.KEEP
        ]  # fmt: skip
        inside = room.stock.listing.files(Filter(under=(project.path,)))
        files = [file for file in inside if file.path not in room.going]
        if rows and files:
            yield Unit(rows, len(files), room.freed(files), frozenset(file.path for file in files))


def large_and_safe(room: Room) -> Iterator[Unit]:
    """Yield large files that were not changed for a year and lie on two other disks, the largest first."""
    disks, here = DisksOfFiles(room.stock), places_here(room.stock)

    def under(copy: StockFile) -> Disks:
        return disks.of_place(copy.place, copy.volume, is_here=copy.place.id in here)

    before_ns = room.now_ns - round(OLD.total_seconds() * 1e9)
    wanted = Filter(larger_than=room.large, modified_before_ns=before_ns, roles=(Role.WORKING,))
    for file in room.stock.listing.files(wanted, "size"):
        if file.volume != room.volume or file.digest is None:
            continue
        copies = room.stock.listing.of_digest(file.digest)
        own = under(file)
        others = {copy.volume: copy for copy in copies if not why_not_apart(own, under(copy))}
        if count_apart(map(under, others.values())) < 2:
            continue
        rows = [
            DocketRow(f"l{file.digest.hex()[:16]}", Action.FOLD, file.path, file.size, file.kind, file.modified_ns,
                      file.digest, f"lies on {len(others)} other disks, and was not changed for a year")
        ]  # fmt: skip
        rows += [
            DocketRow(rows[0].set, Action.KEEP, copy.path, copy.size, copy.kind, copy.modified_ns, copy.digest,
                      f"on another disk, in {copy.place.label}")
            for copy in others.values()
        ]  # fmt: skip
        yield Unit(rows, 1, room.freed([file]), frozenset((file.path,)))


class Source(NamedTuple):
    """A source of room.

    Attributes
    ----------
    word
        Names its docket.
    what
        What it is, in words.
    undo
        How what it frees can be had again.
    command
        What carries its docket out; ``{docket}`` stands for that, ``{runs}`` for numbers of runs.
    """

    word: str
    what: str
    undo: str
    command: str
    units: Callable[[Room], Iterator[Unit]]


_FOLD = "foldkeep fold {docket}"

SOURCES = (
    Source("folds", "waits in folds for more than a month", "not at all; a copy of each stays",
           "foldkeep release {runs}", waiting),
    Source("bins", "lies in the desktop's bins, with copies elsewhere", "not at all; a copy of each stays",
           "foldkeep release --bin", in_bins),
    Source("unused", "can be made again, proved, and nobody uses it", "unfold; later make it again", _FOLD,
           unused_caches),
    Source("spares", "spares: a copy stays", "unfold; later from the copy", _FOLD, spares),
    Source("caches", "can be made again, proved", "unfold; later make it again", _FOLD, other_caches),
    Source("decoded", "decodes to the same as what stays", "unfold; later only what stays",
           "foldkeep fold {docket} --allow-alike", decoded_twins),
    Source("projects", "quiet projects, archived to another volume first", "unfold; later restore",
           "foldkeep archive --docket {docket} --to DIR", quiet_projects),
    Source("large", "large and old, and on two other disks", "unfold; later from there", _FOLD, large_and_safe),
)  # fmt: skip
"""In order of regret: what is missed least comes first."""
