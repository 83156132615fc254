"""Deleting folded files for good."""

import os
import stat
from collections import Counter
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from datetime import timedelta
from functools import partial

from foldkeep.formats.own import written_rest
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
from foldkeep.model.remote import is_remote, server_of
from foldkeep.model.work import reason_of
from foldkeep.signals import MediaReader
from foldkeep.stock import Stock
from foldkeep.storage.local.changes import flush
from foldkeep.storage.local.reading import NotSafe, Stamp, facts_of, modified_ns, open_in

from ..elsewhere.proofs import Proofs
from ..journal import Released, Releasing
from ..methods import GONE_FROM_FOLD, is_our_link
from ..places import hold_around
from ..recovery.reconcile import files_by_place, settle, settle_all, write_down
from ..removing.disk import CHANGED, GONE, remove, seen_now
from ..rests import check_rest, keep_rest, proved_rest, rest_name, whole_rest
from ..servers.releasing import release_on_server
from ..servers.vault import RemoteVault
from ..servers.waiting import SIDES_WAIT
from ..space import Space, free_space
from ..vault import Vault, fold_fault
from .grades import Consent
from .midway import midway
from .vouching import NO_COPY, Stands, Vouchers

# Little time, and little to read, between reading a file and deleting it; but one flush for many of them.
_BATCH_FILES = 512
_BATCH_BYTES = 256 * 1024 * 1024
_CHANGED = "changed in the fold; unfold it to look at it"


@dataclass
class ReleaseReport:
    """Report of a release.

    Attributes
    ----------
    released
        Files deleted.
    rests, rest_bytes
        Those of them that can be rebuilt, since their rests are kept, and the sum of the sizes of these.
    bytes
        Space that came free: the sizes of those that had no other hard link, without the rests.
    held
        Bytes of deleted files that a server still counts, by its quota: it may keep them in a bin.
    by_server
        Bytes of files deleted on each server.
    kept
        Sidecars that say what no file that stays says, with what that is: all of each is kept, as its rest.
    left
        Files that stay in the fold, each with the reason.
    away
        Places that are away where a run was broken off.
    space
        Free space before and after, by volume.
    """

    released: int = 0
    rests: int = 0
    rest_bytes: int = 0
    bytes: int = 0
    held: int = 0
    kept: list[Problem] = field(default_factory=list)
    left: list[Problem] = field(default_factory=list)
    away: list[Problem] = field(default_factory=list)
    space: list[Space] = field(default_factory=list)
    by_server: Counter[PathBytes] = field(default_factory=Counter)

    def tell_space(self, before: list[Space]) -> None:
        """Look at the space that is free now, and what of the released bytes servers still count."""
        self.space = [space.now() for space in before]
        for space in self.space:
            if is_remote(space.place):
                deleted = self.by_server[server_of(space.place)]
                held = max(0, deleted - max(0, space.after - space.before))
                self.held += held
                self.bytes -= held


def release(
    stock: Stock,
    runs: list[Run],
    *,
    allow_last_copy: bool = False,
    consent: Consent | None = None,
    proofs: Proofs | None = None,
    sides_wait: timedelta = SIDES_WAIT,
    progress: Progress = no_progress,
    break_lock: bool = False,
) -> ReleaseReport:
    """Delete the files of runs that wait in the fold, for good.

    Weeks may lie between folding and releasing, so each file is read again, and so is a copy outside every fold,
    which is looked at once more right before and after: a file whose content is nowhere else now is left.

    Parameters
    ----------
    stock
        A stock that is held.
    allow_last_copy
        Delete also what is nowhere else.
    consent
        What the user says of files that nothing has the content of; they stay without proof if None.
    proofs
        What other machines vouch for, signed for this release, by content.
    sides_wait
        How long lies between a fold and its release where the copy is on the other side of a server; a day at least.
    break_lock
        Take locks of other computers on places for dead.

    Raises
    ------
    PlaceBusy
        If somebody else is at work in one of the places; nothing was changed then.
    StoppedMidway
        If the stock cannot be written any more after something was changed.
    """
    settle_all(stock)
    report = ReleaseReport()
    work = [(run, _waiting(stock, run)) for run in runs]
    total = sum(len(files) for _, files in work)
    places = {file.place for _, files in work for file in files}
    witnesses = {file.keeper for _, files in work for file in files if file.keeper}
    before = free_space(places)
    vouchers = Vouchers(stock, consent or Consent(), proofs or {}, sides_wait)

    def told() -> None:
        progress(Step("Releasing", report.released, total, "files"))

    with (
        hold_around(stock, places, "release", witnesses=witnesses, break_lock=break_lock),
        MediaReader(stock) as vouchers.reader,
    ):
        for run, files in work:
            with midway(stock, run, f"release {run.id}"):
                _release_run(stock, run, files, vouchers, report, allow_last_copy, told)
    still_waiting = {file.path for run in runs for file in _waiting(stock, run)}
    report.left = [problem for problem in report.left if problem.path in still_waiting]
    report.tell_space(before)
    return report


def _waiting(stock: Stock, run: Run) -> list[RunFile]:
    return stock.ledger.files(run.id, [RunFileState.WAITING])


def release_rests(
    stock: Stock,
    runs: list[Run],
    *,
    allow_last_copy: bool = False,
    progress: Progress = no_progress,
    break_lock: bool = False,
) -> ReleaseReport:
    """Delete the rests of released files of runs, which cannot be rebuilt then.

    One whose file has no copy that can be read now is left: what was written in it would be nowhere else.

    Parameters and errors are those of `release`.
    """
    settle_all(stock)
    report = ReleaseReport()
    work = [(run, stock.ledger.files(run.id, [RunFileState.REST])) for run in runs]
    total = sum(len(files) for _, files in work)
    places = {file.place for _, files in work for file in files}
    before = free_space(places)
    vouchers = Vouchers(stock)
    with hold_around(stock, places, "release", break_lock=break_lock):
        for run, files in work:
            with midway(stock, run, f"release {run.id} --rests"):
                with stock.transaction():
                    stock.ledger.set_underway(run.id, True)
                try:
                    for place, here in files_by_place(files).items():
                        _release_rests_in(stock, run, place, here, vouchers, report, allow_last_copy)
                        progress(Step("Releasing", report.released, total, "files"))
                finally:
                    settle(stock, run)
    report.space = [space.now() for space in before]
    return report


def _release_rests_in(
    stock: Stock,
    run: Run,
    place: PathBytes,
    files: list[RunFile],
    vouchers: Vouchers,
    report: ReleaseReport,
    allow_last_copy: bool,
) -> None:
    try:
        with Vault(place, run.key) as vault:
            for file in files:
                try:
                    stands = vouchers.vouch_for_rest(file, allow_last_copy=allow_last_copy)
                    seen = seen_now(vault.files, rest_name(file))
                    if seen is None:
                        raise NotSafe(GONE_FROM_FOLD)
                    vault.journal.write([Releasing(file.number)])
                    remove(vault.files, rest_name(file), seen, vouchers.stamps, stands)
                    flush(vault.files)
                    vault.journal.write([Released(file.number)])
                except (NotSafe, OSError) as error:
                    report.left.append(Problem(file.path, reason_of(error)))
                    continue
                report.released += 1
                report.bytes += seen.identity.size
                write_down(stock, [file._replace(state=RunFileState.RELEASED)])
    except OSError as error:
        why = f"its fold cannot be worked in: {fold_fault(place, error)}"
        report.left += [Problem(file.path, why) for file in files]


def _release_run(
    stock: Stock,
    run: Run,
    files: list[RunFile],
    vouchers: Vouchers,
    report: ReleaseReport,
    allow_last_copy: bool,
    told: Callable[[], None],
) -> None:
    with stock.transaction():
        stock.ledger.set_underway(run.id, True)
    try:
        for place, here in files_by_place(files).items():
            if is_remote(place):
                _release_on_server(stock, run, place, here, vouchers, report, allow_last_copy)
                told()
                continue
            try:
                with Vault(place, run.key) as vault:
                    for batch in _batches(here):
                        release_batch(stock, vault, batch, vouchers, report, allow_last_copy=allow_last_copy)
                        told()
            except OSError as error:
                why = f"its fold cannot be worked in: {fold_fault(place, error)}"
                report.left += [Problem(file.path, why) for file in here]
    finally:
        settle(stock, run)


def _release_on_server(
    stock: Stock, run: Run, place: PathBytes, files: list[RunFile], vouchers: Vouchers, report: ReleaseReport,
    allow_last_copy: bool,
) -> None:  # fmt: skip
    try:
        gone, left = release_on_server(
            stock, RemoteVault(place, run.key), files, allow_last_copy=allow_last_copy, sides_wait=vouchers.sides_wait
        )
    except (OSError, UnusableInput) as error:
        why = f"its fold cannot be worked in: {reason_of(error)}"
        report.left += [Problem(file.path, why) for file in files]
        return
    report.released += len(gone)
    size = sum(file.size for file in gone)
    report.bytes += size
    report.by_server[server_of(place)] += size
    report.left += left


def _batches(files: list[RunFile]) -> Iterator[list[RunFile]]:
    """Yield files by batches, none with too many of them or too many bytes."""
    batch: list[RunFile] = []
    size = 0
    for file in files:
        batch.append(file)
        size += file.size
        if len(batch) >= _BATCH_FILES or size >= _BATCH_BYTES:
            yield batch
            batch, size = [], 0
    if batch:
        yield batch


@dataclass(frozen=True, slots=True)
class _Going:
    """A file that was read and is vouched for; `freed` is the space that comes free with it.

    `rest` is what is kept of it; empty if nothing is. `lost` is what a sidecar says that nothing else does.
    """

    file: RunFile
    seen: Stamp
    stands: Stands
    freed: int
    rest: bytes = b""
    lost: tuple[str, ...] = ()


def release_batch(
    stock: Stock,
    vault: Vault,
    files: list[RunFile],
    vouchers: Vouchers,
    report: ReleaseReport,
    *,
    allow_last_copy: bool,
) -> None:
    """Delete files that wait in an open vault, each after it was read and vouched for now."""
    going: list[_Going] = []
    for file in files:
        try:
            going.append(_vouched(vault, file, vouchers, allow_last_copy))
        except (NotSafe, OSError) as error:
            report.left.append(Problem(file.path, reason_of(error)))
    if not going:
        return
    going = _with_rests_kept(vault, going, report)
    if not going:
        return
    vouchers.make_witnesses_last()
    vault.journal.write(Releasing(each.file.number) for each in going)
    gone: list[_Going] = []
    try:
        for each in going:
            try:
                remove(vault.files, os.fsencode(each.file.slot), each.seen, vouchers.stamps, each.stands)
                gone.append(each)
            except NotSafe as error:
                why = {CHANGED: _CHANGED, GONE: NO_COPY}.get(str(error), str(error))
                report.left.append(Problem(each.file.path, why))
            except OSError as error:
                report.left.append(Problem(each.file.path, reason_of(error)))
        flush(vault.files)
        vault.journal.write(Released(each.file.number) for each in gone)
    finally:
        report.released += len(gone)
        report.rests += sum(bool(each.rest) for each in gone)
        report.kept += [Problem(each.file.path, ", ".join(each.lost)) for each in gone if each.lost]
        report.rest_bytes += sum(len(each.rest) for each in gone)
        report.bytes += sum(each.freed for each in gone)
    states = {True: RunFileState.REST, False: RunFileState.RELEASED}
    write_down(stock, [each.file._replace(state=states[bool(each.rest)]) for each in gone])


def _with_rests_kept(vault: Vault, going: list[_Going], report: ReleaseReport) -> list[_Going]:
    """Write the rests of files that are to be deleted; return those that may be, since theirs is on the disk."""
    kept: list[_Going] = []
    for each in going:
        try:
            if each.rest:
                descriptor = open_in(vault.files, os.fsencode(each.file.slot))
                try:
                    keep_rest(vault.files, each.file, descriptor, each.rest)
                finally:
                    os.close(descriptor)
            kept.append(each)
        except OSError as error:
            report.left.append(Problem(each.file.path, f"its rest cannot be kept: {reason_of(error)}"))
    return kept


def _vouched(vault: Vault, file: RunFile, vouchers: Vouchers, allow_last_copy: bool) -> _Going:
    """Read a file and what vouches for it; NotSafe if it must stay."""
    slot = os.fsencode(file.slot)
    try:
        descriptor = open_in(vault.files, slot)
    except FileNotFoundError:
        raise NotSafe(GONE_FROM_FOLD) from None
    try:
        facts = os.fstat(descriptor)
        # Where the content is known, it is read and decides; the time of a drive may go with the clock on the wall.
        is_dated = bool(file.digest) or modified_ns(facts) == file.modified_ns
        if not stat.S_ISREG(facts.st_mode) or facts.st_size != file.size or not is_dated:
            raise NotSafe(_CHANGED)
        _check_link_leads_somewhere(file)
        stands = vouchers.vouch(file, descriptor, vault.files, allow_last_copy=allow_last_copy)
        lost = vouchers.lost
        if lost and not file.is_sidecar:  # an earlier version of one that stays: no rest brings that back
            raise NotSafe(f"it says what {visible(file.keeper)} does not: {', '.join(lost)}; unfold it to look at it")
        rest = _rest(vault.files, file, descriptor, allow_last_copy) if file.has_essence else b""
        if lost:
            rest = whole_rest(file, descriptor)
            stands = partial(_is_kept, vault.files, rest_name(file), rest)
        now = facts_of(vault.files, slot)
        if now is None or Stamp.of(now) != Stamp.of(facts):
            raise NotSafe(_CHANGED)
        freed = file.size - len(rest) if facts.st_nlink == 1 else 0
        return _Going(file, Stamp.of(facts), stands, freed, rest, lost)
    finally:
        os.close(descriptor)


def _is_kept(files: int, name: bytes, rest: bytes) -> bool:
    """Look whether a rest lies in the vault as it was written."""
    try:
        descriptor = open_in(files, name)
    except OSError:
        return False
    try:
        return os.pread(descriptor, len(rest) + 1, 0) == rest
    finally:
        os.close(descriptor)


def _rest(files: int, file: RunFile, descriptor: int, allow_last_copy: bool) -> bytes:
    """Return the proved rest of an open file; where it cannot be proved now and the user lets it go even so, that which
    was proved when it was folded, or nothing.
    """
    try:
        return proved_rest(file, descriptor, file.keeper)
    except (NotSafe, OSError) as error:
        if not allow_last_copy:
            raise NotSafe(f"{reason_of(error)}; unfold it to keep it") from error
    try:
        return written_rest(check_rest(files, file))
    except (NotSafe, OSError):
        return b""


def _check_link_leads_somewhere(file: RunFile) -> None:
    """Raise NotSafe if the symbolic link in a file's place leads to nothing: the file is what should be there."""
    if file.method is not Method.SYMLINK:
        return
    try:
        text = os.readlink(file.path)
    except OSError:
        return  # somebody put something else there, or took the link away
    if is_our_link(file, text) and not os.path.exists(file.path):
        raise NotSafe(f"the link in its place leads to nothing now: {visible(file.keeper)}; unfold it to have it back")
