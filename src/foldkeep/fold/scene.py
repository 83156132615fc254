"""What the disk shows of one file of a run, wherever a process was killed, and what follows from it.

A file is in one of four spots: at home (its path), in its slot in the vault, at its target, or gone. While
something is done to it, it can be in two of them, whole in at least one, and beside them may lie what was
prepared: stand-ins in the vault (see `standing`), a copy under our own name beside the target or
the home. Nothing is taken away here unless the same bytes lie whole in another spot.
"""

import os
from contextlib import suppress
from dataclasses import dataclass, field, replace

from foldkeep.model import Method, RunFile, RunFileState, beside, parse_digest, path_from_uri

from .copying import same_content
from .journal import Entry, absolute_path
from .moving import Folders, facts_of, move
from .standing import coming_in, coming_out, is_stand_in
from .vault import Vault

NOT_BEGUN = "the run ended before it was folded"
GONE_FROM_FOLD = "gone from the fold; somebody took it away"

Spot = tuple[int, bytes]
"""An open folder, and a name in it that stands for something."""


@dataclass(frozen=True, slots=True)
class History:
    """What a journal tells of one file.

    Attributes
    ----------
    first
        What was to be done with it when it was folded; of several tries the last one.
    last
        What was last about to be done to it; both are empty if nothing was.
    pending
        Whether that was not marked as done.
    """

    first: Entry = field(default_factory=dict)
    last: Entry = field(default_factory=dict)
    pending: bool = False


def histories(entries: list[Entry]) -> dict[int, History]:
    """Return the history of each file of a journal by its number."""
    found: dict[int, History] = {}
    for entry in entries:
        number = entry.get("n")
        if not isinstance(number, int):
            continue
        before = found.get(number, History())
        if "done" in entry:
            found[number] = replace(before, pending=False)
        elif "do" in entry:
            first = entry if entry["do"] in ("fold", "move", "copy", "bin", "write") else before.first
            found[number] = History(first, entry, pending=True)
    return found


class Scene:
    """The spots of one file.

    Parameters
    ----------
    folders, targets
        The folders of its place, and those of targets.
    file
        As the ledger has it, see `as_announced`.
    history
        What its journal tells.
    """

    def __init__(
        self, key: str, vault: Vault, folders: Folders, targets: Folders, file: RunFile, history: History
    ) -> None:
        self._key = key
        self._vault = vault
        self._folders = folders
        self._targets = targets
        self._last = history.last
        self._pending = history.pending
        self._began = file.state is not RunFileState.PLANNED
        try:
            self.file = as_announced(file, history.first)
            self._home_path = self._path_of_home()
        except (KeyError, TypeError, ValueError):
            # Not lines that we wrote.
            self._last, self._pending, self.file, self._home_path = {}, False, file, file.path

    def settle(self) -> RunFile:
        """Tidy what was left half done, and return the file with the state that the disk shows."""
        if self._pending:
            self._finish_moves_by_link()
        if self.file.method.links or self.file.method.writes:
            self._finish_names()
        if self._pending and self.file.method is Method.MOVE:
            self._finish_copies()
        return self._state()

    def _path_of_home(self) -> bytes:
        if self._last.get("do") == "unfold":
            return absolute_path(self._vault.place, str(self._last["to"]))
        return self.file.path

    def _spot(self, folders: Folders, path: bytes) -> Spot | None:
        try:
            folder, name = folders.of(path)
        except OSError:
            return None
        return (folder, name) if facts_of(folder, name) is not None else None

    def _home(self) -> Spot | None:
        """Return where the file lies outside the fold, or what else has its name there."""
        return self._spot(self._folders, self._home_path)

    def _in_vault(self, name: bytes) -> Spot | None:
        return (self._vault.files, name) if facts_of(self._vault.files, name) is not None else None

    def _slot(self) -> Spot | None:
        return self._in_vault(os.fsencode(self.file.slot))

    def _target(self) -> Spot | None:
        return self._spot(self._targets, self.file.target) if self.file.target else None

    def _copy_beside(self, folders: Folders, path: bytes) -> Spot | None:
        name = copy_name(self._key, self.file)
        return self._spot(folders, os.path.join(os.path.dirname(path), name)) if path else None

    def _is_home(self, spot: Spot | None) -> bool:
        """Tell whether what lies at home is, by size and time, the file."""
        facts = facts_of(*spot) if spot else None
        return facts is not None and (facts.st_size, facts.st_mtime_ns) == (self.file.size, self.file.modified_ns)

    def _finish_moves_by_link(self) -> None:
        """Where one file has two of our names, a move by hard link was cut in two: the newer name goes."""
        home, slot, target = self._home(), self._slot(), self._target()
        out, in_ = (self._in_vault(name(self.file)) for name in (coming_out, coming_in))
        copy = self._copy_beside(self._targets, self.file.target)
        for one, other in ((home, slot), (home, target), (home, in_), (home, out), (target, copy)):
            facts, other_facts = (facts_of(*spot) if spot else None for spot in (one, other))
            if other and facts and other_facts and os.path.samestat(facts, other_facts):
                os.unlink(other[1], dir_fd=other[0])

    def _finish_names(self) -> None:
        """Put what stands in for the file where it belongs."""
        slot, home = self._slot(), self._home()
        in_, out = (self._in_vault(name(self.file)) for name in (coming_in, coming_out))
        if in_:
            if slot and not home and self._move_home(in_, self.file.path):
                home = self._home()
            else:
                os.unlink(in_[1], dir_fd=in_[0])
        if out and not (slot and not home and self._move_home(out, self.file.path)):
            self._put_out(out, slot or home)

    def _put_out(self, out: Spot, original: Spot | None) -> None:
        """Do away with a stand-in whose name the file has again; what is not ours gets a name beside it."""
        if is_stand_in(self.file, out, original):
            os.unlink(out[1], dir_fd=out[0])
            return
        folder, name = os.path.split(self.file.path)
        for number in range(2, 10_000):
            if self._move_home(out, os.path.join(folder, beside(name, number))):
                return

    def _move_home(self, spot: Spot, path: bytes) -> bool:
        with suppress(OSError):
            move(*spot, *self._folders.of(path, make=True))
            return True
        return False

    def _finish_copies(self) -> None:
        """Of a file that was on its way to another volume, leave one whole."""
        home, slot = self._home(), self._slot()
        copy = self._copy_beside(self._targets, self.file.target)
        copy_home = self._copy_beside(self._folders, self._home_path)
        if copy_home and (slot or copy or self._target()):
            os.unlink(copy_home[1], dir_fd=copy_home[0])
        if copy:
            if slot or self._is_home(home):
                os.unlink(copy[1], dir_fd=copy[0])
            elif not self._target():
                move(*copy, copy[0], os.path.basename(self.file.target))
        target = self._target()
        if not target:
            return
        if slot and same_content(*slot, *target):
            os.unlink(slot[1], dir_fd=slot[0])
        elif home and self._is_home(home) and same_content(*home, *target):
            os.unlink(target[1], dir_fd=target[0])

    def _state(self) -> RunFile:
        file = self.file
        home = self._is_home(self._home())
        if file.method is Method.WRITE:
            return self._state_of_made()
        if self._slot():
            return replace(file, state=RunFileState.WAITING, reason="" if not self._began else file.reason)
        if self._began and self._last.get("do") == "release":
            return replace(file, state=RunFileState.RELEASED)
        if not self._began and (home or not self._last):
            return replace(file, state=RunFileState.LEFT, reason=file.reason or NOT_BEGUN)
        if file.method is Method.MOVE and self._target() and self._last.get("do") in ("move", "unfold"):
            return replace(file, state=RunFileState.MOVED)
        if home:
            return replace(file, state=RunFileState.RESTORED)
        if file.method is Method.BIN:
            return replace(file, state=RunFileState.BINNED)
        if not self._began:
            return replace(file, state=RunFileState.LEFT, reason=file.reason or NOT_BEGUN)
        return replace(file, state=RunFileState.LOST, reason=GONE_FROM_FOLD)

    def _state_of_made(self) -> RunFile:
        """Return a file that the run wrote itself: it is there until it is unfolded, or somebody takes it away."""
        there = self._home() is not None
        if self._began and self._last.get("do") == "unfold" and not there:
            return replace(self.file, state=RunFileState.RESTORED)
        if self._began or (there and self._last):
            return replace(self.file, state=RunFileState.MADE)
        return replace(self.file, state=RunFileState.LEFT, reason=self.file.reason or NOT_BEGUN)


def as_announced(file: RunFile, entry: Entry) -> RunFile:
    """Return a file with what its journal tells of it; ValueError, KeyError or TypeError if that is not ours."""
    if not entry:
        return file
    return replace(
        file,
        keeper=path_from_uri(str(entry["keeper"])) if entry["keeper"] else b"",
        digest=parse_digest(str(entry["digest"])) if entry["digest"] else b"",
        method=Method(entry.get("method", "fold")),
        target=path_from_uri(str(entry["to"])) if "to" in entry else b"",
        words=parse_digest(str(entry["words"])) if "words" in entry else b"",
    )


def copy_name(key: str, file: RunFile) -> bytes:
    """Return the name that a copy has until it is whole: ours, since nobody else knows the run's key."""
    return os.fsencode(f".foldkeep-{key}-{file.number}")
