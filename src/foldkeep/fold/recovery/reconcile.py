"""Finding out on the disk what became of the files of a run, whatever ended it.

This is the one place that turns what lies on the disk into what the ledger says. It runs after every change,
and before the next one where a process was killed in between.
"""

import os
import time
from collections import defaultdict
from collections.abc import Iterable
from contextlib import AbstractContextManager, suppress

from foldkeep.model import Method, Run, RunFile, RunFileState, UnusableInput
from foldkeep.model.errors import PlaceBusy
from foldkeep.model.kinds import kind_of
from foldkeep.model.names import innermost
from foldkeep.model.remote import is_remote
from foldkeep.scan import Presence, presences, remote_sighting
from foldkeep.stock import Check, Checked, CheckResult, Sighting, Stock
from foldkeep.storage.local.changes import Folders, remove_folder
from foldkeep.storage.local.drives import hold_places
from foldkeep.storage.local.reading import digest_of, facts_at, facts_of, has_digest, modified_ns, opened
from foldkeep.storage.remote import hold_remote_places, read_remote, remote_storage

from ..bench import Bench
from ..emptied import settle_emptied
from ..journal import FolderMade, Going, History, Record, histories
from ..methods import GONE_FROM_FOLD, NOT_BEGUN, method_of
from ..servers.recovery import settled_on_server
from ..servers.vault import RemoteVault, take_away_unbegun
from ..vault import Vault, tidy
from .file_recovery import Scene

_OPEN = (
    RunFileState.WAITING, RunFileState.REST, RunFileState.LOST, RunFileState.PLANNED, RunFileState.MOVED,
    RunFileState.MADE,
)  # fmt: skip
"""States of files that are looked up; what is lost may be found again, say on a drive that came back."""

GONE = (RunFileState.WAITING, RunFileState.MOVED, RunFileState.BINNED, RunFileState.REST, RunFileState.RELEASED)
"""States of files that went as they were meant to go."""

_NO_FOLD = "its place or its fold is not there now; what became of it is found out when it is back"
_AWAY = "its drive is away; what became of it is found out when it is back"


def settle_all(stock: Stock) -> None:
    """Settle every run that a killed process left under way, but not in places where somebody is at work."""
    for run in stock.ledger.unsettled():
        settle(stock, run, work="settle")


def settle(stock: Stock, run: Run, *, trusts_ledger: bool = False, work: str = "settle") -> None:
    """Bring the ledger's files of a run in line with the disk, and take away a fold that became empty.

    A run whose place is not there stays unsettled, as does one that somebody else works on; nothing is concluded from
    a drive that is away.

    Parameters
    ----------
    trusts_ledger
        What the ledger says of files that are not merely planned was written just now, by this process.
    """
    if run.method is Method.EMPTY:
        here = [place.path for place in stock.places.all() if os.path.isdir(place.path)]
        with suppress(PlaceBusy), hold_places(here, work, wait_seconds=0):
            settle_emptied(stock, run)
        return
    certain = True
    states = (RunFileState.PLANNED,) if trusts_ledger else _OPEN
    uncertain = files_by_place(stock.ledger.files(run.id, states))
    for place in stock.ledger.places(run.id):
        settle_here = _settle_on_server if is_remote(place) else _settle_in
        try:
            with _held(place, work):
                certain &= settle_here(stock, run, place, uncertain.get(place, []))
        except PlaceBusy:
            certain = False
        except (OSError, UnusableInput):
            if not is_remote(place):
                raise
            certain = False
    if certain:
        with stock.transaction():
            stock.ledger.set_underway(run.id, False)


def _held(place: bytes, work: str) -> AbstractContextManager[None]:
    if is_remote(place):
        return hold_remote_places([place], work, wait_seconds=0)
    return hold_places([place] if os.path.isdir(place) else [], work, wait_seconds=0)


def _settle_on_server(stock: Stock, run: Run, place: bytes, files: list[RunFile]) -> bool:
    """Settle the files of a run in a place on a server; tell whether of all of them it is known what became of them."""
    unknown: set[int] = set()
    try:
        vault = RemoteVault(place, run.key)
        settled = settled_on_server(vault, files, unknown)
    except FileNotFoundError:
        take_away_unbegun(place, run.key)
        vault, settled = None, [_without_fold(file, is_gone=True) for file in files]
    _write_down_changes(stock, settled, files)
    everything = [file for file in stock.ledger.files(run.id) if file.place == place]
    is_needed = _is_journal_needed(run, everything)
    if vault and not unknown and not is_needed:
        vault.tidy({file.number for file in everything})
    return not any(file.state is RunFileState.PLANNED or file.number in unknown for file in settled)


def _settle_in(stock: Stock, run: Run, place: bytes, files: list[RunFile]) -> bool:
    """Settle the files of a run in one place; tell whether of all of them it is known what became of them."""
    unknown: set[int] = set()
    try:
        with Vault(place, run.key) as vault:
            settled = settled_files(run.key, vault, files, unknown)
            if run.method in (Method.MOVE, Method.COPY) and not unknown:
                with Folders(b"/") as targets:
                    take_away_made_folders(vault, targets)
    except OSError as error:
        is_missing = isinstance(error, (FileNotFoundError, NotADirectoryError))
        settled = [_without_fold(file, is_missing and _is_here(stock, place)) for file in files]
        if not is_missing:
            _write_down_changes(stock, settled, files)
            return not files
    _write_down_changes(stock, settled, files)
    everything = [file for file in stock.ledger.files(run.id) if file.place == place]
    if not unknown and not _is_journal_needed(run, everything):
        tidy(place, run.key, {file.number for file in everything})
    return not any(file.state is RunFileState.PLANNED or file.number in unknown for file in settled)


def _is_journal_needed(run: Run, everything: list[RunFile]) -> bool:
    """Tell whether the journal of a run in a place must stay, though nothing waits there.

    A drive alone can take back what was moved off it, or copied onto it, only by that.
    """
    if any(file.state is RunFileState.PLANNED for file in everything):
        return True
    is_elsewhere = any(file.state in (RunFileState.MOVED, RunFileState.MADE) for file in everything)
    return run.method in (Method.MOVE, Method.COPY) and is_elsewhere


def take_away_made_folders(vault: Vault, targets: Folders) -> None:
    """Take away the folders that were made for files to be moved or copied into, if nothing is in them now."""
    made = [record.path for record in vault.folder_records() if isinstance(record, FolderMade)]
    for path in sorted(made, key=len, reverse=True):
        with suppress(OSError):
            folder, name = targets.of(path)
            targets.close(path)
            remove_folder(name, folder)


def _write_down_changes(stock: Stock, settled: list[RunFile], files: list[RunFile]) -> None:
    write_down(stock, [now for now, before in zip(settled, files, strict=True) if now != before])


def settled_files(key: str, vault: Vault, files: Iterable[RunFile], unknown: set[int]) -> list[RunFile]:
    """Return files of a run as the disk shows them, after tidying what was left half done.

    Parameters
    ----------
    unknown
        Numbers of files of which it cannot be told now what became of them; added to. They are as they were.
    """
    files = list(files)
    known = histories(vault.records()) if files else {}
    with Folders(vault.place) as folders, Folders(b"/") as targets:
        bench = Bench(key, vault, folders, targets)
        return [_settled(Scene(bench, file, known.get(file.number, History())), unknown) for file in files]


def _settled(scene: Scene, unknown: set[int]) -> RunFile:
    method = method_of(scene.file)
    try:
        if scene.pending:
            scene.finish_moves_by_link()
            scene.take_claims_away()
        method.finish(scene)
        found = method.state(scene)
    except OSError:  # what cannot be read now may be read another time
        found, scene.is_unknown = scene.file, True
    if scene.is_unknown and found.state not in (RunFileState.WAITING, RunFileState.RESTORED):
        unknown.add(found.number)
        return found._replace(reason=_AWAY) if found.state is RunFileState.PLANNED else found
    return found


def announced_files(records: list[Record]) -> list[RunFile]:
    """Return the files that a journal tells of, as it announced them last."""
    return [
        history.first.file
        for history in histories(records).values()
        if isinstance(history.first, Going)
    ]  # fmt: skip


def files_by_place(files: Iterable[RunFile]) -> dict[bytes, list[RunFile]]:
    """Return files by the place in whose fold they are or were."""
    found: dict[bytes, list[RunFile]] = defaultdict(list)
    for file in files:
        found[file.place].append(file)
    return found


def write_down(stock: Stock, files: list[RunFile]) -> None:
    """Write files of a run into the ledger, and what follows from their states into the stock."""
    if not files:
        return
    with stock.transaction():
        stock.ledger.update(files)
        stock.files.forget([file.path for file in files if file.state in GONE])
        stock.files.forget([file.target for file in files if file.target and file.state is RunFileState.RESTORED])
        for file in files:
            if file.method is Method.HEAL:
                _learn_healed(stock, file)
                continue
            if file.method.writes:
                _learn(stock, file.path)
                continue
            links = file.state is RunFileState.WAITING and file.method in (Method.HARD_LINK, Method.CLONE)
            if file.state is RunFileState.MOVED or (file.method is Method.COPY and file.state is RunFileState.MADE):
                _remember(stock, file, file.target)
            elif file.state is RunFileState.RESTORED or links:
                _remember(stock, file, file.path)


def _learn(stock: Stock, path: bytes) -> None:
    """Put a sidecar into the stock as it is now."""
    stock.files.forget([path])
    try:
        with opened(path) as descriptor:
            facts = os.fstat(descriptor)
            digest, size = digest_of(descriptor, facts.st_size)
    except OSError:
        return
    if size == facts.st_size:
        stock.files.remember(path, _sighting(path, facts), digest)


def _learn_healed(stock: Stock, file: RunFile) -> None:
    """Put into the stock whether a file is healed now, or damaged again since it came back."""
    if file.state not in (RunFileState.WAITING, RunFileState.RESTORED):
        return
    _learn(stock, file.path)
    now_ns = time.time_ns()
    if file.state is RunFileState.WAITING:
        check = Check(Checked.FILE, file.path, now_ns, CheckResult.RIGHT, now_ns, file.words)
    else:
        result = CheckResult.DAMAGED if file.digest else CheckResult.UNREADABLE
        check = Check(Checked.FILE, file.path, now_ns, result, None, file.words, file.digest)
    stock.checks.put([check])


def _remember(stock: Stock, file: RunFile, path: bytes) -> None:
    """Put a file that is not what the stock knows any more back into it, if its content is what it was."""
    if is_remote(path):
        _remember_on_server(stock, file, path)
        return
    try:
        facts = facts_at(path)
    except OSError:
        return
    times = (file.modified_ns, file.target_modified_ns)
    same_time = modified_ns(facts) in times or file.method is Method.HARD_LINK
    if facts.st_size == file.size and same_time and file.content:
        place = None
        if file.method.adds:  # it may lie in a folder that was made for it
            places = {place.path: place for place in stock.places.all()}
            place = places.get(innermost(places, path) or b"")
        stock.files.remember(path, _sighting(path, facts), file.content, place=place)


def _remember_on_server(stock: Stock, file: RunFile, path: bytes) -> None:
    try:
        found = remote_storage(path).facts(path)
    except (OSError, UnusableInput):
        return
    if found is None or found.size != file.size or not file.content:
        return
    places = {place.path: place for place in stock.places.all()}
    place = places.get(innermost(places, path) or b"")
    stock.files.remember(path, remote_sighting(path, found), file.content, place=place)


def _sighting(path: bytes, facts: os.stat_result) -> Sighting:
    name = os.path.basename(path)
    return Sighting(
        name, kind_of(name), facts.st_size, modified_ns(facts), facts.st_ino, facts.st_nlink, facts.st_uid,
        blocks=facts.st_blocks,
    )  # fmt: skip


def _is_here(stock: Stock, path: bytes) -> bool:
    """Tell whether a place is here: the very folder that the stock knows, not one where its drive goes."""
    now = presences(stock)
    for place in stock.places.all():
        if place.path == path and now[place.id] is Presence.HERE:
            try:
                return os.stat(path).st_ino == place.inode
            except OSError:
                return False
    return False


def _without_fold(file: RunFile, is_gone: bool) -> RunFile:
    """Return what can be said of a file whose fold is gone, or cannot be looked into."""
    waited = file.state in (RunFileState.WAITING, RunFileState.REST)
    if file.state is not RunFileState.PLANNED and not (waited and is_gone):
        return file
    if file.method in (Method.WRITE, Method.COPY) and is_gone:
        return file._replace(state=RunFileState.LEFT, reason=file.reason or NOT_BEGUN)
    try:
        is_home = _is_at_home(file)
    except OSError:
        return file
    if waited:  # another Fold Keep, with another stock, may have brought it back
        state, reason = (RunFileState.RESTORED, "") if is_home else (RunFileState.LOST, GONE_FROM_FOLD)
        return file._replace(state=state, reason=reason)
    if is_home:
        return file._replace(state=RunFileState.LEFT, reason=file.reason or NOT_BEGUN)
    return file._replace(reason=_NO_FOLD)


def _is_at_home(file: RunFile) -> bool:
    """Tell whether a file lies where it was; where its content is known, that decides."""
    if is_remote(file.path):
        found = remote_storage(file.path).facts(file.path)
        if found is None or found.size != file.size:
            return False
        return read_remote(file.path)[0] == file.digest if file.digest else found.modified_ns == file.modified_ns
    with Folders(file.place) as folders:
        try:
            home = folders.of(file.path)
        except (FileNotFoundError, NotADirectoryError):
            return False
        facts = facts_of(*home)
        if facts is None or facts.st_size != file.size:
            return False
        return has_digest(*home, file.digest) if file.digest else modified_ns(facts) == file.modified_ns
