"""Deleting files for good on a server: each is read now, and so is what vouches for it."""

import os
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from contextlib import ExitStack, suppress
from datetime import timedelta
from typing import IO

from foldkeep.model import PathBytes, Problem, RunFile, RunFileState
from foldkeep.model.names import lies_in_a_fold
from foldkeep.model.work import reason_of
from foldkeep.scan.bins import lies_in_a_bin
from foldkeep.stock import Stock
from foldkeep.storage import storage_at
from foldkeep.storage.local.reading import NotSafe, Stamps

from ..journal import Released, Releasing
from ..recovery.reconcile import write_down
from ..removing.disk import GONE
from ..removing.server import Vouched, content_kept, read_and_keep, remove_vouched
from .looking import copy_with
from .sides import Sides
from .site import AT_ONCE, each_of
from .vault import RemoteVault
from .waiting import SIDES_WAIT, SidesWait

_BATCH_FILES, _BATCH_BYTES = 128, 256 * 1024 * 1024
_NO_COPY = "no copy of it outside the fold can be read now; unfold it to keep it"


_Going = tuple[RunFile, Vouched]


def release_on_server(
    stock: Stock, vault: RemoteVault, files: list[RunFile], *, allow_last_copy: bool, sides_wait: timedelta = SIDES_WAIT
) -> tuple[list[RunFile], list[Problem]]:
    """Delete files that wait on a server, and return those that were, and those that stay with the reason."""
    waits = SidesWait(stock, sides_wait)
    gone: list[RunFile] = []
    left: list[Problem] = []
    stamps = Stamps()
    sides = Sides(stock)
    with ThreadPoolExecutor(AT_ONCE, thread_name_prefix="releasing") as pool, ExitStack() as contents:
        for batch in _batches(files):
            contents.close()
            asked = []
            for file in batch:
                try:
                    candidates = _candidates(stock, vault, sides, file)
                    yet = [path for path in candidates if not waits.why_not(file, path)]
                    if candidates and not yet and not allow_last_copy:
                        raise NotSafe(waits.why_not(file, candidates[0]))
                    asked.append((file, yet))
                except NotSafe as error:
                    left.append(Problem(file.path, str(error)))
            going: list[_Going] = []
            read = each_of(pool, lambda pair: _vouched(vault, *pair, allow_last_copy=allow_last_copy), asked)
            for (file, _), found in read:
                if isinstance(found, tuple):
                    contents.enter_context(found[1].content)
                    going.append(found)
                else:
                    left.append(Problem(file.path, reason_of(found)))
            _make_witnesses_last(going)
            vault.write(Releasing(file.number) for file, _ in going)
            done = []
            for each, outcome in each_of(pool, lambda one: _delete(vault, one, stamps), going):
                if isinstance(outcome, Exception):
                    left.append(Problem(each[0].path, reason_of(outcome)))
                else:
                    done.append(each[0])
            vault.write(Released(file.number) for file in done)
            write_down(stock, [file._replace(state=RunFileState.RELEASED) for file in done])
            gone += done
    return gone, left


def _make_witnesses_last(going: list[_Going]) -> None:
    """Have witnesses on this machine on the disk before what they vouch for goes: they may just have been written."""
    witnesses = [each.witness for _, each in going if each.witness]
    folders = {witness.device: os.path.dirname(witness.path) for witness in witnesses}
    for device, folder in folders.items():
        if device is not None:
            with suppress(OSError):  # where nothing can be written, everything has been
                storage_at(folder).flush_volume(folder)


def _candidates(stock: Stock, vault: RemoteVault, sides: Sides, file: RunFile) -> list[PathBytes]:
    """Return the files outside every fold that may have the content of one that goes, and are surely others."""
    paths = [path for path in _known(stock, file) if path and not lies_in_a_fold(path) and not lies_in_a_bin(path)]
    return sides.apart(vault.place, vault.key, paths)


def _known(stock: Stock, file: RunFile) -> Iterator[PathBytes]:
    yield file.keeper
    yield from (path for path in stock.sets.paths_of(file.digest) if path != file.keeper)


def _vouched(
    vault: RemoteVault, file: RunFile, candidates: list[PathBytes], *, allow_last_copy: bool
) -> _Going:  # fmt: skip
    """Read a file and a copy of it, whole and now; NotSafe if it must stay."""
    with ExitStack() as opened:
        content = opened.enter_context(content_kept())
        found = _vouched_with(vault, file, candidates, content, allow_last_copy=allow_last_copy)
        opened.pop_all()
        return found


def _vouched_with(
    vault: RemoteVault, file: RunFile, candidates: list[PathBytes], content: IO[bytes], *, allow_last_copy: bool
) -> _Going:  # fmt: skip
    try:
        digest, stamp = read_and_keep(vault.storage, vault.slot(file), content)
    except FileNotFoundError:
        raise NotSafe("gone from the fold; somebody took it away") from None
    if stamp.size != file.size or (file.digest and digest != file.digest):
        raise NotSafe("its content is not what was folded; unfold it to look at it")
    witness = None if allow_last_copy else copy_with(digest, candidates)
    if witness is None and not allow_last_copy:
        raise NotSafe(_NO_COPY)
    return file, Vouched(vault.slot(file), stamp, digest, witness, content)


def _delete(vault: RemoteVault, each: _Going, stamps: Stamps) -> None:
    try:
        remove_vouched(vault.storage, each[1], stamps)
    except NotSafe as error:
        raise NotSafe(_NO_COPY if str(error) == GONE else str(error)) from error
    finally:
        each[1].content.close()


def _batches(files: list[RunFile]) -> Iterator[list[RunFile]]:
    """Yield files by batches, none with too many of them or, unless it is one alone, too many bytes."""
    batch: list[RunFile] = []
    size = 0
    for file in files:
        if batch and (len(batch) >= _BATCH_FILES or size + file.size > _BATCH_BYTES):
            yield batch
            batch, size = [], 0
        batch.append(file)
        size += file.size
    if batch:
        yield batch
