"""What is done to one file: look, prepare, announce, act."""

import errno
import os
from collections.abc import Callable, Container
from dataclasses import dataclass, replace
from itertools import count

from blake3 import blake3

from foldkeep.model import Method, RunFile, RunFileState, beside, file_uri, format_digest, visible
from foldkeep.scan import FILE, open_files

from .copying import copy_file, write_like
from .identity import Identity, NotSafe, check_unchanged, move_if_unchanged
from .journal import Entry, relative_name
from .merging import check_said, merge_words, read_sidecar_in
from .moving import Folders, facts_of, move
from .plan import Item, Merge, Merged
from .scene import copy_name
from .standing import coming_in, make_stand_in
from .vault import Vault
from .verify import NOTHING, Comparison, Keepers, Verified, check_source, look_at, verify

_FREE_NAMES = 10_000

_WAITING = RunFileState.WAITING
_STATES = {Method.MOVE: RunFileState.MOVED, Method.BIN: RunFileState.BINNED}

_WORDS_FOR = {Method.MOVE: "move", Method.BIN: "bin", Method.WRITE: "write"}

_NAME_TAKEN = "a new file took its name, so nothing was put in its place"
NOT_EMPTIED = "its folder did not become empty"
NOTHING_NEW = "there was nothing new to say"
UNTOLD = (NOT_EMPTIED, NOTHING_NEW)
"""Why litter stays, and a sidecar is not written; nobody has to be told."""


@dataclass(frozen=True, slots=True)
class Ready:
    """A file that was looked at and may be worked on.

    Attributes
    ----------
    file
        As it will be when that is done.
    folder, name
        The open folder that it lies in, and its name there.
    across
        Whether it moves to another volume; then a copy lies beside its target under a name of ours.
    """

    item: Item
    file: RunFile
    folder: int
    name: bytes
    verified: Verified
    across: bool = False


class Worker:
    """Works on the files of one place and run.

    Parameters
    ----------
    key
        Of the run.
    folders, targets
        The folders of the place, and those that files move to.
    earlier
        Tells in which run a file of this path waits already, or None.
    litter
        Paths of files that go if nothing else is left in their folder.
    went
        Paths of files that have gone in this run.
    left
        Paths of files of this place that stay where they are; what goes along with them stays too.
    told
        Is told how far the comparison of a file has got, in bytes.
    """

    def __init__(
        self,
        key: str,
        vault: Vault,
        folders: Folders,
        targets: Folders,
        earlier: Callable[[bytes], int | None],
        litter: frozenset[bytes],
        went: Container[bytes],
        left: set[bytes],
        told: Callable[[int], None],
    ) -> None:
        self._key = key
        self._vault = vault
        self._folders = folders
        self._targets = targets
        self._earlier = earlier
        self._litter = litter
        self._went = went
        self._comparison = Comparison(told)
        self._keepers = Keepers()
        self._promised: set[bytes] = set()
        self._open: dict[bytes, str] | None = None
        self._expected: dict[int, Merged] = {}
        self.left = left
        self.merged: list[Merged] = []
        """The sidecars that were written."""

    def make_ready(self, item: Item, file: RunFile) -> Ready:
        """Look at a file, read it where that is due, and prepare what its method needs.

        Raises
        ------
        NotSafe
            If it must stay where it is.
        OSError
            If it cannot be read, or what it needs cannot be prepared.
        """
        self._check_master(item)
        try:
            folder, name = self._folders.of(file.path)
        except FileNotFoundError:
            raise self._gone(file) from None
        except NotADirectoryError:
            raise NotSafe("a folder on the way to it is now a link or a file") from None
        if item.merge:
            return self._prepare_words(Ready(item, file, folder, name, NOTHING), item.merge)
        if item.litter:
            self._check_only_litter(file, folder)
        try:
            verified = (
                verify(item.row, folder, name, item.keepers, self._comparison)
                if item.is_read
                else look_at(item.row, folder, name)
            )
        except NotSafe:
            if facts_of(folder, name) is None:
                raise self._gone(file) from None
            raise
        if verified.spare.device != self._vault.device:
            raise NotSafe("on another volume than the fold of its place; make that volume a place of its own")
        file = replace(
            file, keeper=verified.keeper_path, digest=verified.digest, state=_STATES.get(file.method, _WAITING)
        )
        if item.source:
            self._check_not_open(file.path)
            check_source(item.source, verified.spare)
            file = replace(file, keeper=item.source)
        if item.package:
            file = replace(file, keeper=item.package)
        if item.words_in:
            file = replace(file, keeper=item.words_in, words=check_said(item.words_in, folder, name))
        ready = Ready(item, file, folder, name, verified)
        if file.method.links:
            self._prepare_stand_in(ready)
        elif file.method is Method.MOVE:
            ready = self._prepare_move(ready)
        return ready

    def _gone(self, file: RunFile) -> NotSafe:
        run = self._earlier(file.path)
        return NotSafe(f"already in the fold, since run {run}" if run else "not there any more")

    def _check_not_open(self, path: bytes) -> None:
        if self._open is None:
            self._open = open_files()
        if path in self._open:
            raise NotSafe(f"{self._open[path]} has it open")

    def _check_master(self, item: Item) -> None:
        if item.master in self.left:
            raise NotSafe(f"stays with {visible(os.path.basename(item.master))}")

    def _check_only_litter(self, file: RunFile, folder: int) -> None:
        above = os.path.dirname(file.path)
        if any(os.path.join(above, os.fsencode(name)) not in self._litter for name in os.listdir(folder)):
            raise NotSafe(NOT_EMPTIED)

    def _prepare_words(self, ready: Ready, merge: Merge) -> Ready:
        """Write the sidecar that is to be, under a name of our own."""
        file = ready.file
        former = None
        if file.method is Method.REWRITE:
            ready = replace(ready, verified=look_at(ready.item.row, ready.folder, ready.name))
            former = read_sidecar_in(ready.folder, ready.name)
        try:
            merged, document = merge_words(merge, file.path, former, self._went)
        except ValueError as error:
            raise NotSafe(f"what is said of its file's copies could not be added: {error}") from error
        if document is None:
            raise NotSafe(NOTHING_NEW)
        if former is None:
            file = replace(file, state=RunFileState.MADE, words=blake3(document).digest())
        else:
            file = replace(file, state=_WAITING, keeper=file.path, digest=blake3(former).digest(),
                           words=blake3(document).digest())  # fmt: skip
        like = ready.name if former is not None else os.path.basename(merge.keeper)
        write_like(ready.folder, like, self._vault.files, coming_in(file), document)
        self._expected[file.number] = merged
        return replace(ready, file=file)

    def _prepare_stand_in(self, ready: Ready) -> None:
        spare = os.open(ready.name, FILE, dir_fd=ready.folder)
        try:
            make_stand_in(self._vault, ready.file, spare, ready.verified, self._keepers)
        finally:
            os.close(spare)

    def _prepare_move(self, ready: Ready) -> Ready:
        """Find the name that a file gets; on another volume, make the copy that is to get it."""
        folder, _ = self._targets.of(ready.file.target, make=True)
        ready = replace(ready, file=self._with_free_target(ready.file, folder))
        if os.fstat(folder).st_dev == self._vault.device:
            return ready
        ready = replace(ready, across=True)
        self._vault.journal.write([{**self.intention(ready), "do": "copy"}])
        digest = copy_file(ready.folder, ready.name, folder, self._copy_name(ready.file))
        if ready.file.digest not in (b"", digest):
            self.drop(ready)
            raise NotSafe("changed while it was copied")
        return replace(ready, file=replace(ready.file, digest=digest))

    def _with_free_target(self, file: RunFile, folder: int) -> RunFile:
        above, name = os.path.split(file.target)
        for number in range(1, _FREE_NAMES):
            path = os.path.join(above, beside(name, number))
            if path not in self._promised and facts_of(folder, os.path.basename(path)) is None:
                self._promised.add(path)
                return replace(file, target=path)
        raise OSError(errno.EEXIST, "no name is free for it there")

    def _copy_name(self, file: RunFile) -> bytes:
        return copy_name(self._key, file)

    def intention(self, ready: Ready) -> Entry:
        """Return what is written into the journal before a file is touched."""
        file = ready.file
        entry: Entry = {
            "do": _WORDS_FOR.get(file.method, "fold"),
            "n": file.number,
            "slot": file.slot,
            "from": relative_name(self._vault.place, file.path),
            "size": file.size,
            "modified_ns": file.modified_ns,
            "digest": format_digest(file.digest) if file.digest else "",
            "keeper": file_uri(file.keeper) if file.keeper else "",
            "method": str(file.method),
        }
        if file.words:
            entry["words"] = format_digest(file.words)
        if file.target:
            entry |= {"to": file_uri(file.target), "across": ready.across}
        return entry

    def act(self, ready: Ready) -> RunFile:
        """Do what was announced, if the file and its keeper are still those that were looked at.

        Raises as `make_ready` does; then what was prepared is taken away again.
        """
        try:
            self._check_master(ready.item)
            if ready.item.source:
                check_source(ready.item.source, ready.verified.spare)
            if not self._keepers.stands(ready.verified):
                raise NotSafe("its keeper changed or went away")
            if ready.file.method is Method.MOVE:
                return self._move_away(ready)
            if ready.file.method is Method.BIN:
                return self._bin(ready)
            if ready.file.method.writes:
                return self._write(ready)
            return self._fold(ready)
        except (NotSafe, OSError):
            self.drop(ready)
            raise

    def _fold(self, ready: Ready) -> RunFile:
        slot = os.fsencode(ready.file.slot)
        move_if_unchanged(ready.folder, ready.name, self._vault.files, slot, ready.verified.spare)
        file = ready.file
        if file.method.links:
            try:
                # A hard link that is renamed changes its keeper's stamp; others in this batch may have that keeper.
                with self._keepers.linking(ready.verified):
                    move(self._vault.files, coming_in(file), ready.folder, ready.name)
            except (NotSafe, OSError):
                self.drop(ready)
                return replace(file, reason=_NAME_TAKEN)
        return file

    def _write(self, ready: Ready) -> RunFile:
        file = ready.file
        if file.method is Method.REWRITE:
            slot = os.fsencode(file.slot)
            move_if_unchanged(ready.folder, ready.name, self._vault.files, slot, ready.verified.spare)
        try:
            move(self._vault.files, coming_in(file), ready.folder, ready.name)
        except OSError:
            if file.method is Method.WRITE or self._is_back(ready):
                raise
            self.drop(ready)
            return replace(file, words=b"", reason=_NAME_TAKEN)
        self.merged.append(self._expected[file.number])
        return file

    def _is_back(self, ready: Ready) -> bool:
        """Put a file back out of its slot, and tell whether that went well."""
        try:
            move(self._vault.files, os.fsencode(ready.file.slot), ready.folder, ready.name)
        except OSError:
            return False
        return True

    def _bin(self, ready: Ready) -> RunFile:
        from send2trash import send2trash

        check_unchanged(ready.folder, ready.name, ready.verified.spare)
        send2trash(os.fsdecode(ready.file.path))
        return ready.file

    def _move_away(self, ready: Ready) -> RunFile:
        source, name = ready.folder, ready.name
        expected = ready.verified.spare
        folder, _ = self._targets.of(ready.file.target)
        if ready.across:
            name = self._copy_name(ready.file)
            source, expected = folder, Identity.of(os.stat(name, dir_fd=folder, follow_symlinks=False))
        for _ in count():
            try:
                move_if_unchanged(source, name, folder, os.path.basename(ready.file.target), expected)
                break
            except FileExistsError:
                ready = replace(ready, file=self._with_free_target(ready.file, folder))
                self._vault.journal.write([self.intention(ready)])
        if ready.across:
            self._take_away_original(ready, folder, expected)
        return ready.file

    def _take_away_original(self, ready: Ready, folder: int, copy: Identity) -> None:
        os.fsync(folder)
        slot = os.fsencode(ready.file.slot)
        try:
            move_if_unchanged(ready.folder, ready.name, self._vault.files, slot, ready.verified.spare)
        except (NotSafe, OSError):
            move_if_unchanged(folder, os.path.basename(ready.file.target), folder, self._copy_name(ready.file), copy)
            raise
        os.unlink(slot, dir_fd=self._vault.files)

    def flush(self) -> None:
        """Make what was done last through a power cut."""
        self._folders.flush()
        self._targets.flush()
        os.fsync(self._vault.files)

    def drop(self, ready: Ready) -> None:
        """Take away what was prepared for a file that is left."""
        if ready.file.method.links or ready.file.method.writes:
            _unlink_if_there(self._vault.files, coming_in(ready.file))
        elif ready.across:
            folder, _ = self._targets.of(ready.file.target)
            _unlink_if_there(folder, self._copy_name(ready.file))


def _unlink_if_there(folder: int, name: bytes) -> None:
    if facts_of(folder, name) is not None:
        os.unlink(name, dir_fd=folder)
