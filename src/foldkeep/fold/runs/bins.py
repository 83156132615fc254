"""Emptying the desktop's bins: each file read and vouched for, as what waits in a fold is before it is released."""

import os
import secrets
import stat
import time
from collections.abc import Iterator, Sequence
from contextlib import ExitStack, contextmanager, suppress
from dataclasses import dataclass

from foldkeep.model import Method, PathBytes, Problem, Progress, Run, RunFile, RunFileState, Step, no_progress, visible
from foldkeep.model.errors import PlaceBusy
from foldkeep.model.work import reason_of
from foldkeep.scan import places_here
from foldkeep.scan.bins import BinItem, lies_in_a_bin
from foldkeep.scan.candidates import Candidates
from foldkeep.stock import Stock
from foldkeep.storage.local.changes import flush, remove_folder
from foldkeep.storage.local.reading import (
    FOLDER,
    NotSafe,
    Stamp,
    digest_of,
    facts_of,
    is_regular,
    open_in,
    open_path,
    opened,
)

from ..emptied import settle_emptied
from ..places import hold_around
from ..removing.disk import remove
from ..removing.own import discard
from ..space import free_space
from ..vault import slot_name
from .releasing import ReleaseReport
from .vouching import NO_COPY, Stands, Vouchers

_LAST = "no other file has its content; say --allow-last-copy to give it up, or take it back from the bin"


def empty_bins(
    stock: Stock,
    items: Sequence[BinItem],
    progress: Progress = no_progress,
    *,
    allow_last_copy: bool = False,
    break_lock: bool = False,
) -> ReleaseReport:
    """Delete what lies in bins for good; what went there at once goes at once, or stays.

    Each file is read, and a copy of it outside every fold and bin is read and compared with it, in the same way as
    `release` does; the ledger has each.

    Parameters
    ----------
    stock
        A stock that is held.
    allow_last_copy
        Also delete what no other file has the content of.

    Raises
    ------
    PlaceBusy
        If somebody else is at work in one of the places; nothing was changed then.
    """
    report = ReleaseReport()
    if not items:
        return report
    here = places_here(stock)
    places = [place.path for place in stock.places.all() if place.id in here]
    before = free_space({item.bin for item in items})
    run, files = _write_down(stock, items)
    with ExitStack() as held:
        try:
            held.enter_context(hold_around(stock, places, "release", break_lock=break_lock))
        except PlaceBusy:
            with stock.transaction():
                stock.ledger.discard(run.id)
            raise
        vouchers = Vouchers(stock)
        try:
            for number, item in enumerate(items, start=1):
                _empty(stock, item, files[number - 1], vouchers, report, allow_last_copy)
                progress(Step("Emptying bins", number, len(items), "files"))
        finally:
            settle_emptied(stock, run)
    report.space = [space.now() for space in before]
    return report


def _write_down(stock: Stock, items: Sequence[BinItem]) -> tuple[Run, list[list[RunFile]]]:
    """Write all that is to be deleted into the ledger, before the first of it is touched."""
    key = f"bin-{secrets.token_hex(8)}"
    found: list[list[RunFile]] = []
    number = 0
    with stock.transaction():
        run = stock.ledger.begin(key, Method.EMPTY, b"the desktop's bins", time.time_ns())
        for item in items:
            files = []
            for file in item.files:
                number += 1
                files.append(
                    RunFile(
                        run.id, number, item.bin, file.path, slot_name(number, file.path), file.size, file.modified_ns,
                        b"", b"", RunFileState.PLANNED, method=Method.EMPTY, target=item.original,
                    )
                )  # fmt: skip
            stock.ledger.put(files)
            found.append(files)
    return run, found


@dataclass(frozen=True, slots=True)
class _Going:
    file: RunFile
    seen: Stamp
    stands: Stands


def _empty(
    stock: Stock, item: BinItem, files: list[RunFile], vouchers: Vouchers, report: ReleaseReport, allow_last_copy: bool
) -> None:
    """Delete one item, if each of its files may go; what its folder has besides goes once they are gone."""
    going: list[_Going] = []
    for file in files:
        try:
            if not item.is_complete:
                raise NotSafe("not all of it can be looked at")
            going.append(_vouched(file, vouchers, allow_last_copy))
        except (NotSafe, OSError) as error:
            why = _LAST if str(error) == NO_COPY else reason_of(error)
            where = f"; {visible(file.path)}" if item.is_folder else ""
            _leave(stock, files, item, f"{why}{where}", report)
            return
    vouchers.make_witnesses_last()
    gone: list[RunFile] = []
    try:
        for each in going:
            with _folder_of(each.file.path) as (folder, name):
                freed = each.file.size if os.stat(name, dir_fd=folder).st_nlink == 1 else 0
                remove(folder, name, each.seen, vouchers.stamps, each.stands)
                flush(folder)
            gone.append(each.file._replace(state=RunFileState.RELEASED))
            report.released += 1
            report.bytes += freed
        _take_rest_away(item)
    except (NotSafe, OSError) as error:
        rest = [each.file for each in going[len(gone) :]]
        _leave(stock, rest, item, reason_of(error), report)
    with stock.transaction():
        stock.ledger.update(gone)


def _leave(stock: Stock, files: Sequence[RunFile], item: BinItem, why: str, report: ReleaseReport) -> None:
    report.left.append(Problem(item.path, why))
    with stock.transaction():
        still = [file for file in files if os.path.lexists(file.path)]
        stock.ledger.update(file._replace(state=RunFileState.LEFT, reason=why) for file in still)


def _vouched(file: RunFile, vouchers: Vouchers, allow_last_copy: bool) -> _Going:
    """Read a file and what vouches for it; NotSafe if it must stay."""
    with _folder_of(file.path) as (folder, name):
        descriptor = open_in(folder, name)
        try:
            facts = os.fstat(descriptor)
            if not is_regular(facts) or facts.st_size != file.size:
                raise NotSafe("changed since the bin was looked into")
            digest, size = digest_of(descriptor, file.size)
            if size != file.size:
                raise NotSafe("changed while it was read")
            known = file._replace(digest=digest, keeper=_keeper(vouchers.candidates, file, digest))
            os.lseek(descriptor, 0, os.SEEK_SET)
            # What is empty has no content that could be lost.
            last = allow_last_copy or not file.size
            stands = vouchers.vouch(known, descriptor, folder, allow_last_copy=last)
            now = facts_of(folder, name)
            if now is None or Stamp.of(now) != Stamp.of(facts):
                raise NotSafe("changed while it was read")
            return _Going(known, Stamp.of(facts), stands)
        finally:
            os.close(descriptor)


def _keeper(candidates: Candidates, file: RunFile, digest: bytes) -> PathBytes:
    """Return a file outside folds and bins that has the content of one, and that the stock has not read whole."""
    size = file.size
    for other in candidates.like(file.path, size) if size else ():
        if other.digest is None and not lies_in_a_bin(other.path):
            with suppress(OSError), opened(other.path) as descriptor:
                if digest_of(descriptor, size) == (digest, size):
                    return other.path
    return b""


@contextmanager
def _folder_of(path: PathBytes) -> Iterator[tuple[int, bytes]]:
    folder, name = os.path.split(path)
    descriptor = open_path(folder, FOLDER)
    try:
        yield descriptor, name
    finally:
        os.close(descriptor)


def _take_rest_away(item: BinItem) -> None:
    """Take away what is left of an item that has no file any more: links, folders, and what was written down of it."""
    if item.is_folder:
        for folder, inner, names in os.walk(item.path, topdown=False):
            with _folder_of(os.path.join(folder, b"x")) as (descriptor, _):
                for name in [*names, *inner]:
                    facts = facts_of(descriptor, name)
                    if facts is not None and stat.S_ISLNK(facts.st_mode):
                        discard(name, descriptor)
                    elif name in inner:
                        remove_folder(name, descriptor)
        with _folder_of(item.path) as (descriptor, name):
            remove_folder(name, descriptor)
    else:
        with suppress(FileNotFoundError), _folder_of(item.path) as (descriptor, name):
            facts = facts_of(descriptor, name)
            if facts is not None and stat.S_ISLNK(facts.st_mode):
                discard(name, descriptor)
    if not os.path.lexists(item.path):
        with suppress(FileNotFoundError), _folder_of(item.info) as (descriptor, name):
            discard(name, descriptor)
