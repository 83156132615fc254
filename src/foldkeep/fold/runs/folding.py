"""Carrying out a docket: every spare verified, written down, and only then touched."""

import errno
import os
import secrets
import shlex
import time
from collections.abc import Iterable, Iterator
from contextlib import ExitStack, suppress
from dataclasses import dataclass, field, replace
from datetime import UTC, datetime
from functools import partial
from itertools import filterfalse

from foldkeep.model import (
    Method,
    PathBytes,
    Problem,
    Progress,
    Run,
    RunFile,
    RunFileState,
    Step,
    UnusableInput,
    no_progress,
    visible,
)
from foldkeep.model.errors import PlaceBusy
from foldkeep.model.remote import is_remote
from foldkeep.model.work import reason_of
from foldkeep.stock import Stock
from foldkeep.storage import moment
from foldkeep.storage.local.changes import Folders, FolderTimes
from foldkeep.storage.local.reading import NotSafe, facts_at, facts_of, open_in

from ..bench import Bench, Ready
from ..journal import FolderLeft, FolderMade, Went
from ..methods import METHODS, NOTHING_NEW, FoldMethod, method_of
from ..places import hold_around, mark_places
from ..recovery.reconcile import GONE, settle, settle_all, write_down
from ..removing.own import discard
from ..servers.sides import Sides
from ..servers.site import RemoteSite
from ..servers.trial import Trial, try_out_target
from ..servers.vault import RemoteVault
from ..space import Space, free_space
from ..vault import PROBE_TEXT, PROBES, Vault, fold_fault, slot_name, tidy
from ..verify import Comparison
from .emptying import put_away
from .looking import NOT_EMPTIED, Looker, intention, state_if_left
from .midway import midway
from .plan import Item, Merged, Plan, Stage, batches
from .releasing import ReleaseReport, release_batch
from .run_lookup import waiting_run
from .vouching import Vouchers

# One flush of the journal serves this many files, or as many as have this many bytes: enough to make its
# cost small, few enough that little time passes between comparing a file and moving it.
_BATCH_FILES = 2048
_BATCH_BYTES = 256 * 1024 * 1024
# The folders of a batch stay open until it is done; systems allow a process from 256 open files on.
_BATCH_FOLDERS = 64
_MOST_OPEN = 2 * _BATCH_FOLDERS

_UNTOLD = (NOT_EMPTIED, NOTHING_NEW)
"""Why litter stays, and a sidecar is not written; nobody has to be told."""

Work = list[tuple[Item, RunFile]]


@dataclass
class FoldReport:
    """Report of a fold.

    Attributes
    ----------
    run
        The run's number, or None if there was nothing to do.
    folded, bytes
        Files that went (into the fold, or wherever the method puts them), and the sum of their sizes.
    left
        Files that stay where they are, each with the reason.
    notes
        What went, but could not be kept quite as it was: attributes that the other volume does not know.
    along
        Files among `folded` that the docket does not name: companions, and litter.
    alike
        What is among `folded` though no copy of it stays, only something alike.
    essences
        What is among `folded` though what stays has other words, only the same essence.
    beside
        Sidecars that were moved beside a keeper: from where, and to where.
    merged
        Sidecars beside keepers that say more now, and what copies say differently.
    emptied
        Folders that became empty and were put away.
    space
        Free space before and after, by volume.
    """

    run: int | None = None
    method: Method = Method.FOLD
    folded: int = 0
    bytes: int = 0
    left: list[Problem] = field(default_factory=list)
    notes: list[Problem] = field(default_factory=list)
    along: int = 0
    alike: list[Item] = field(default_factory=list)
    essences: list[Item] = field(default_factory=list)
    beside: list[tuple[PathBytes, PathBytes]] = field(default_factory=list)
    merged: list[Merged] = field(default_factory=list)
    emptied: int = 0
    space: list[Space] = field(default_factory=list)


def fold(
    stock: Stock,
    plan: Plan,
    progress: Progress = no_progress,
    *,
    keep_empty_folders: bool = False,
    break_lock: bool = False,
) -> FoldReport:
    """Carry out a checked plan.

    Each spare and its keeper are read again and compared first. What is about to be done is written into
    the ledger and into the journal beside the fold and flushed; then it is done, by renames that cannot
    overwrite, after each of which the keeper is looked at once more; then that is flushed and written down as
    well. A file that is not as the docket says, or whose keeper is not, is left where it is.

    Parameters
    ----------
    stock
        A stock that is held.
    keep_empty_folders
        Leave folders that become empty where they are.
    break_lock
        Take locks of other computers on places for dead.

    Raises
    ------
    UnusableInput
        If a volume cannot do what the method needs; nothing was changed then.
    PlaceBusy
        If somebody else is at work in one of the places; nothing was changed then.
    StoppedMidway
        If the stock cannot be written any more after something was changed.
    """
    settle_all(stock)
    if not plan.items:
        return FoldReport(method=plan.method)
    key = _new_key()
    before = free_space(plan.by_place)
    run, work = _write_down(stock, plan, key)
    with ExitStack() as held:
        try:
            held.enter_context(
                hold_around(stock, plan.by_place, "fold", witnesses=_witnesses(plan), break_lock=break_lock)
            )
            _try_out(plan, run)
            trials = _try_out_servers(plan, run)
        except (PlaceBusy, UnusableInput):
            with stock.transaction():
                stock.ledger.discard(run.id)
            raise
        with midway(stock, run, f"fold {shlex.quote(plan.docket)}"):
            mark_places(stock, plan.by_place)
            report = _carry_out(stock, run, plan, work, progress, trials, keep_empty_folders=keep_empty_folders)
    report.space = [space.now() for space in before]
    return report


def _carry_out(
    stock: Stock, run: Run, plan: Plan, work: dict[bytes, Work], progress: Progress, trials: dict[bytes, Trial],
    *, keep_empty_folders: bool,
) -> FoldReport:  # fmt: skip
    meter = _Meter(progress, plan.bytes)
    went: set[bytes] = set()
    places = frozenset(work)
    sites: list[_Site | RemoteSite] = []
    for place, pairs in work.items():
        trial = trials.get(place, Trial())
        pairs = _readable(pairs, trial)
        sites.append(
            RemoteSite(stock, run, place, pairs, went, meter.passed, trial.honours_conditions, plan.trusts_server)
            if is_remote(place)
            else _Site(stock, run, place, pairs, went, meter, places, plan.into, trusts_server=plan.trusts_server)
        )
    emptied = 0
    try:
        for stage in Stage:
            for site in sites:
                site.work(stage)
        if not keep_empty_folders:
            stay = frozenset(place.path for place in stock.places.all())
            emptied = sum(site.put_away(stay) for site in sites)
        for site in sites:
            site.note_times()
    finally:
        # Also when interrupted: what was done is looked up on the disk and written down.
        settle(stock, run, trusts_ledger=True)
    report = _report(stock, run, plan)
    report.merged = [
        *(merged for site in sites for merged in site.merged),
        *(each for each in plan.merged if not each.gained.facts and any(d.path in went for d in each.differences)),
    ]
    report.notes = [note for site in sites for note in site.notes]
    report.emptied = emptied
    return report


def _readable(pairs: Work, trial: Trial) -> Work:
    """Return the work on a server, with those refused of which the server misreads the names."""
    if not trial.misread:
        return pairs
    return [(replace(item, refusal=item.refusal or trial.refusal(*_moved_to(item))), file) for item, file in pairs]


def _moved_to(item: Item) -> list[bytes]:
    """Return the paths on servers that a file may be moved to: its target, and its home when it comes back."""
    return [path for path in (item.row.path, item.target) if is_remote(path)]


def _witnesses(plan: Plan) -> Iterator[bytes]:
    for item in plan.items:
        yield from item.keepers
        yield from (path for path in (item.source, item.target, item.words_in) if path)


class _Meter:
    """Tells how far a run is, by the bytes that were compared."""

    def __init__(self, progress: Progress, total: int) -> None:
        self._progress = progress
        self._total = total
        self._done = 0

    def within(self, part: int) -> None:
        """Tell of `part` bytes of the file that is being compared."""
        self._progress(Step("Comparing and folding", self._done + part, self._total, "bytes"))

    def passed(self, size: int) -> None:
        """Note that a file of this size was compared."""
        self._done += size


def _new_key() -> str:
    # The moment is for people; the random part makes the key unique where clocks are wrong.
    moment = datetime.fromtimestamp(time.time_ns() // 1_000_000_000, UTC).strftime("%Y%m%dT%H%M%SZ")
    return f"{moment}-{secrets.token_hex(4)}"


def _try_out(plan: Plan, run: Run) -> None:
    """Refuse the whole plan if a volume cannot do what its method needs."""
    method = METHODS[plan.method]
    if not method.words:
        return
    try:
        for place in filterfalse(is_remote, plan.by_place):
            with Vault(place, run.key, create=True, method=run.method) as vault:
                _try_out_in(vault.files, method)
    except OSError as error:
        for each in filterfalse(is_remote, plan.by_place):
            tidy(each, run.key)
        if error.errno in (errno.EACCES, errno.ENOSPC, errno.EDQUOT, errno.EROFS):  # nothing of the volume's kind
            why = f"cannot fold in {visible(place)}: {fold_fault(place, error)}"
            raise UnusableInput(why, "see to it, and try again; nothing was changed") from error
        raise UnusableInput(
            f"the volume of {visible(place)} cannot make {method.words}: {reason_of(error)}",
            "choose another --method; nothing was changed",
        ) from error


def _try_out_servers(plan: Plan, run: Run) -> dict[bytes, Trial]:
    """Find out what can be entrusted to the servers of a plan, and refuse the whole plan if one overwrites."""
    found = {}
    for place in filter(is_remote, plan.by_place):
        try:
            vault = RemoteVault(place, run.key, create=True, method=run.method)
            items = plan.by_place[place]
            found[place] = vault.try_out(path for item in items for path in _moved_to(item))
        except OSError as error:
            why = f"cannot fold in {visible(place)}: {reason_of(error)}"
            raise UnusableInput(why, "see to it, and try again; nothing was changed") from error
    onto = [item for item in plan.items if is_remote(item.target) and not is_remote(item.place.path)]
    if plan.into and onto:
        try:
            trial = try_out_target(plan.into[0], run.key, (item.target for item in onto))
        except OSError as error:
            why = f"cannot bring anything to {visible(plan.into[0])}: {reason_of(error)}"
            raise UnusableInput(why, "see to it, and try again; nothing was changed") from error
        found |= {item.place.path: trial for item in onto}
    return found


def _try_out_in(files: int, method: FoldMethod) -> None:
    flags = os.O_RDWR | os.O_CREAT | os.O_EXCL | os.O_CLOEXEC
    try:
        descriptor = open_in(files, PROBES[0], flags)
        try:
            os.write(descriptor, PROBE_TEXT)
        finally:
            os.close(descriptor)
        method.try_out(files)
    finally:
        for name in PROBES:
            if facts_of(files, name) is not None:
                discard(name, files)


def _write_down(stock: Stock, plan: Plan, key: str) -> tuple[Run, dict[bytes, Work]]:
    work: dict[bytes, Work] = {}
    number = 0
    with stock.transaction():
        docket = os.fsencode(os.path.abspath(plan.docket))
        now_ns, boot, since_boot_ns = moment()
        run = stock.ledger.begin(key, plan.method, docket, now_ns)
        stock.ledger.set_clock(run.id, now_ns, boot, since_boot_ns)
        for place, items in plan.by_place.items():
            files = [_run_file(run, number, item) for number, item in enumerate(items, start=number + 1)]
            number += len(files)
            work[place] = list(zip(items, files, strict=True))
            stock.ledger.put(files)
    return run, work


def _run_file(run: Run, number: int, item: Item) -> RunFile:
    row = item.row
    return RunFile(
        run.id,
        number,
        item.place.path,
        # Of a copy the journal tells where it is to be: what it is a copy of may lie anywhere.
        item.target if item.method is Method.COPY else row.path,
        slot_name(number, row.path),
        row.size,
        row.modified_ns,
        row.digest or b"",
        b"",
        # Nothing is done with a refused one, so nobody has to find out what became of it.
        RunFileState.LEFT if item.refusal else RunFileState.PLANNED,
        reason=item.refusal,
        target=item.target,
        method=item.method,
    )


def _report(stock: Stock, run: Run, plan: Plan) -> FoldReport:
    done = (*GONE, RunFileState.MADE) if run.method is Method.COPY else GONE
    stayed = stock.ledger.files(run.id, [state for state in RunFileState if state not in done])
    left = [file for file in stayed if file.state is not RunFileState.MADE and file.reason not in _UNTOLD]
    paths = {file.path for file in stayed}
    gone = [item for item in plan.going if (item.target if run.method is Method.COPY else item.row.path) not in paths]
    beside = stock.ledger.files(run.id, [RunFileState.MOVED]) if run.method is not Method.MOVE else []
    return FoldReport(
        run.id,
        run.method,
        len(gone),
        sum(item.row.size for item in gone),
        [Problem(file.path, file.reason) for file in left],
        along=sum(not item.is_named for item in gone),
        alike=[item for item in gone if item.alike is not None],
        essences=[item for item in gone if item.essence is not None],
        beside=[(file.path, file.target) for file in beside],
    )


class _Site:
    """The work in one place.

    Parameters
    ----------
    went
        Paths of the files that have gone, from all places; added to.
    places
        All places of the run.
    into
        The folder that files are moved into, with its device.
    """

    def __init__(
        self, stock: Stock, run: Run, place: bytes, work: Work, went: set[bytes], meter: _Meter,
        places: frozenset[bytes], into: tuple[bytes, int] | None, *, trusts_server: bool = False,
    ) -> None:  # fmt: skip
        self._stock = stock
        self._trusts_server = trusts_server
        self._run = run
        self._place = place
        self._stages = {stage: [pair for pair in work if pair[0].stage is stage] for stage in Stage}
        self._litter = frozenset(file.path for item, file in work if item.litter)
        self._left: set[bytes] = set()
        self._went = went
        self._meter = meter
        self._places = places
        self._into = into
        self._touched: set[bytes] = set()
        self._times: dict[bytes, FolderTimes] = {}
        self._promised: set[bytes] = set()
        self._noted: set[bytes] = set()
        self._linked: set[bytes] | None = None
        self._sides = Sides(stock)
        self._broken = False
        self.merged: list[Merged] = []
        self.notes: list[Problem] = []

    def work(self, stage: Stage) -> None:
        """Work on the files whose turn it is, by batches."""
        work = self._stages[stage]
        if not work or self._broken:
            return
        try:
            with self._vault() as vault, self._folders() as folders, self._targets(vault) as targets:
                bench = Bench(
                    self._run.key, vault, folders, targets,
                    Comparison(self._meter.within, trusts_server=self._trusts_server), went=self._went,
                    promised=self._promised, into=self._into,
                )  # fmt: skip
                earlier = partial(waiting_run, self._stock)
                looker = Looker(bench, earlier, self._links_to, self._litter, self._left, self._sides, self._places)
                for at in batches([item for item, _ in work], _BATCH_FILES, _BATCH_BYTES, _BATCH_FOLDERS):
                    gone = _do_batch(self._stock, looker, [work[number] for number in at], self._meter)
                    self._went |= {file.path for file in gone}
                    self._touched |= {os.path.dirname(file.path) for file in gone}
                self.merged += bench.merged
                self.notes += bench.notes
                self._noted |= vault.journal.touched
        except OSError as error:
            self._give_up(error)

    def put_away(self, stay: frozenset[bytes]) -> int:
        """Put the folders away that became empty, but not those in `stay`, and return how many."""
        if not self._touched or self._broken:
            return 0
        try:
            with self._vault() as vault, self._folders() as folders:
                done = put_away(vault, folders, self._touched, stay)
                self._noted |= vault.journal.touched
                return len(done)
        except OSError as error:
            self._give_up(error)
            return 0

    def note_times(self) -> None:
        """Write down what times the folders have now, so that `unfold` can tell whether others changed them since."""
        if not self._touched or self._broken:
            return
        with suppress(OSError), self._vault() as vault:
            vault.journal.write(_folders_left(self._noted))

    def _give_up(self, error: OSError) -> None:
        """Do nothing more here: the fold cannot be made, or its journal not be written."""
        self._broken = True
        why = f"its fold cannot be written: {fold_fault(self._place, error)}"
        planned = self._stock.ledger.files(self._run.id, [RunFileState.PLANNED])
        with self._stock.transaction():
            self._stock.ledger.update(file._replace(reason=why) for file in planned if file.place == self._place)

    def _vault(self) -> Vault:
        return Vault(self._place, self._run.key, create=True, method=self._run.method)

    def _folders(self) -> Folders:
        return Folders(self._place, _MOST_OPEN, times=self._times)

    def _targets(self, vault: Vault) -> Folders:
        return Folders(b"/", _MOST_OPEN, partial(_note_folder, vault))

    def _links_to(self, path: bytes) -> list[RunFile]:
        if self._linked is None:
            self._linked = self._stock.ledger.symlink_keepers()
        return self._stock.ledger.symlinks_to(path) if path in self._linked else []


def _note_folder(vault: Vault, path: bytes) -> None:
    vault.journal.write([FolderMade(path)], makes_room=True)


def _folders_left(touched: Iterable[bytes]) -> list[FolderLeft]:
    """Return what times the folders have now whose names a run changed."""
    found = []
    for path in sorted(touched):
        with suppress(OSError):
            found.append(FolderLeft(path, facts_at(path).st_mtime_ns))
    return found


def _do_batch(stock: Stock, looker: Looker, batch: Work, meter: _Meter) -> list[RunFile]:
    """Work on a batch of files and return those that went."""
    bench = looker.bench
    journal = bench.vault.journal
    settled: list[RunFile] = []
    uncertain: list[RunFile] = []

    def leave(file: RunFile, error: NotSafe | OSError) -> None:
        looker.left.add(file.path)
        settled.append(state_if_left(bench, file, reason_of(error)))

    ready: list[Ready] = []
    for item, file in batch:
        try:
            ready.append(looker.make_ready(item, file))
        except (NotSafe, OSError) as error:
            leave(file, error)
        meter.passed(file.size)
    journal.write([*bench.touched(), *map(intention, ready)], makes_room=True)
    for each in ready:
        method = method_of(each.file)
        try:
            settled.append(method.act(bench, each))
        except NotSafe as error:
            method.drop(bench, each)
            leave(each.file, error)
        except OSError as error:
            # How far it got is not guessed: it is looked up on the disk when the run is settled.
            looker.left.add(each.file.path)
            uncertain.append(each.file._replace(state=RunFileState.PLANNED, reason=reason_of(error)))
    bench.flush()
    journal.write(Went(file.number, str(file.state)) for file in settled)
    write_down(stock, [*settled, *uncertain])
    gone = [file for file in settled if file.state is not RunFileState.LEFT]
    for_good = [file for file in gone if file.method is Method.DELETE]
    if for_good:
        release_batch(stock, bench.vault, for_good, Vouchers(stock), ReleaseReport(), allow_last_copy=False)
    return gone
