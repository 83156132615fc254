"""What a method is: how a file goes, how it comes back, and what the disk tells of it in between."""

import os
from typing import Protocol

from foldkeep.model import Method, PathBytes, RunFile, RunFileState, visible
from foldkeep.storage.local.changes import Copied, flush, move
from foldkeep.storage.local.reading import (
    Identity,
    NotSafe,
    check_unchanged,
    facts_of,
    has_digest,
    modified_ns,
    open_in,
)

from ..bench import Bench, Ready, Spot
from ..journal import Going
from ..recovery.file_recovery import Scene
from ..removing.own import discard
from ..rests import drop_rest, keep_rest, proved_rest, rebuild, take_rest_away

NOT_BEGUN = "the run ended before it was folded"
GONE_FROM_FOLD = "gone from the fold; somebody took it away"
KEEPER_CHANGED = "its keeper changed or went away"
NAME_TAKEN = "a new file took its name, so nothing was put in its place"


class FoldedScene(Protocol):
    """What is seen of a file that was to be folded, on a disk or a server."""

    file: RunFile
    first: Going | None
    began: bool
    is_unknown: bool

    @property
    def is_releasing(self) -> bool:
        """Whether it was last about to be deleted for good."""
        ...

    def slot(self) -> object | None:
        """Return what waits in its slot."""
        ...

    def rest(self) -> object | None:
        """Return what was kept of it when it was released."""
        ...

    def is_home(self) -> bool:
        """Tell whether what lies at home is the file."""
        ...


class FoldMethod:
    """One method. This is how plain folding does it; the others change what they do otherwise.

    Attributes
    ----------
    method
        The word for it in the ledger.
    words
        What a volume has to be able to make for it, for people; empty if nothing.
    went
        The state of a file that it was done to.
    """

    method = Method.FOLD
    words = ""
    went = RunFileState.WAITING

    def try_out(self, files: int) -> None:
        """Try out in an open folder of the vault what a volume has to be able to do; OSError if it cannot."""

    def prepare(self, bench: Bench, ready: Ready) -> Ready:
        """Make what is needed, under a name of our own, before anything is announced; NotSafe if it cannot be."""
        return ready

    def act(self, bench: Bench, ready: Ready) -> RunFile:
        """Do what was announced, if the file and its witness are still those that were looked at.

        Raises
        ------
        NotSafe, OSError
            If it is not done; then it lies where it was, or, if that fails, in its slot.
        """
        if ready.file.has_essence:
            _save_rest(bench, ready)
        take(bench, ready)
        return ready.file

    def drop(self, bench: Bench, ready: Ready) -> None:
        """Take away what was prepared for a file that is left."""
        if ready.file.may_have_rest and facts_of(*bench.slot(ready.file)) is None:
            take_rest_away(bench.vault.files, ready.file)

    def undo(self, bench: Bench, file: RunFile, path: bytes) -> None:
        """Bring a file back to a path.

        Raises
        ------
        OSError
            FileExistsError if that is taken; another one is tried then.
        NotSafe
            If it cannot come back.
        """
        slot = bench.slot(file)
        if facts_of(*slot) is None:
            if not file.may_have_rest:
                raise NotSafe(GONE_FROM_FOLD)
            rebuild(slot[0], file, bench.having)
        move(*slot, *bench.folders.of(path, make=True))

    def finish(self, scene: Scene) -> None:
        """Tidy what a killed process left half done of a file."""
        if not scene.file.may_have_rest:
            return
        if incoming := scene.in_():  # it was being rebuilt
            discard(incoming[1], incoming[0])
        home = scene.home()
        if not home or scene.slot() or not scene.rest():
            return
        if scene.is_going:  # what has its name now is what it became there
            take_rest_away(scene.bench.vault.files, scene.file)
        elif scene.is_home():
            drop_rest(scene.bench.vault.files, scene.file, home)

    def state(self, scene: Scene) -> RunFile:
        """Return the file of a scene with the state that the disk shows."""
        return folded_state(scene)


def folded_state(scene: FoldedScene) -> RunFile:
    """Return the state of a file that waits in the fold, or came out of it, or never went."""
    file = scene.file
    if scene.slot():
        return file._replace(state=RunFileState.WAITING)
    if scene.rest():
        return file._replace(state=RunFileState.REST)
    if scene.is_unknown:
        return file
    home = scene.is_home()
    if scene.began and scene.is_releasing:
        return file._replace(state=RunFileState.RELEASED)
    if not scene.began and (home or scene.first is None):
        return file._replace(state=RunFileState.LEFT, reason=file.reason or NOT_BEGUN)
    if home:
        return file._replace(state=RunFileState.RESTORED)
    if not scene.began:
        return file._replace(state=RunFileState.LEFT, reason=file.reason or NOT_BEGUN)
    return file._replace(state=RunFileState.LOST, reason=GONE_FROM_FOLD)


def _save_rest(bench: Bench, ready: Ready) -> None:
    """Write the rest of a file into the vault, beside its slot, after proving it by rebuilding the file from it."""
    descriptor = open_in(*ready.home)
    try:
        rest = proved_rest(ready.file, descriptor, ready.file.keeper)
        keep_rest(bench.vault.files, ready.file, descriptor, rest)
    finally:
        os.close(descriptor)


def take(bench: Bench, ready: Ready) -> None:
    """Move a file from where it lies into its slot; put it back if it, or its witness, is not what was looked at.

    Raises
    ------
    NotSafe
        If it is not. Whether it lies in its slot nonetheless, since it could not be put back, is seen there.
    OSError
        What the system says; nothing was moved.
    """
    slot = bench.slot(ready.file)
    before = check_unchanged(*ready.home, ready.verified.spare, bench.stamps)
    move(*ready.home, *slot, before, to_our_own=True)
    facts = facts_of(*slot)
    if facts is None or not is_what_went(slot, facts, ready):
        raise NotSafe("changed while it was folded" + bench.back_home(slot, *ready.home))
    if facts.st_nlink > 1:  # names of the same inode that go later are told by this
        bench.stamps.note(facts)
    if not bench.witness_stands(ready.verified):
        raise NotSafe(KEEPER_CHANGED + bench.back_home(slot, *ready.home))


def is_what_went(spot: Spot, facts: os.stat_result, ready: Ready) -> bool:
    """Tell whether a name that a file was moved to stands for the file that was looked at.

    Where a file system gives a file another number as it is moved (overlays do), or another time, its content decides.
    """
    expected = ready.verified.spare.identity
    now = Identity.of(facts)
    if now == expected:
        return True
    return now.size == expected.size and bool(ready.verified.digest) and has_digest(*spot, ready.verified.digest)


def file_stands(bench: Bench, ready: Ready) -> bool:
    """Look whether a file is what it was, at home or in its slot."""
    if bench.is_still(ready.home, ready.verified.spare):
        return True
    slot = bench.slot(ready.file)
    facts = facts_of(*slot)
    return facts is not None and is_what_went(slot, facts, ready)


def put_home(file: RunFile, copied: Copied, copy: Spot, home: Spot, refusal: str) -> None:
    """Give a copy that was written beside the home of a file its mode, time and name; it goes again if that fails.

    Raises NotSafe with the `refusal`, if there is one, OSError as moving does.
    """
    try:
        if refusal:
            raise NotSafe(refusal)
        if file.mode:
            os.chmod(copy[1], file.mode, dir_fd=copy[0])
        # A journal's time ends in 2262; a copy that keeps its own beyond that knows it better.
        is_beyond = modified_ns(copied.facts) == file.modified_ns
        when_ns = copied.facts.st_mtime_ns if is_beyond else file.modified_ns
        os.utime(copy[1], ns=(copied.facts.st_atime_ns, when_ns), dir_fd=copy[0], follow_symlinks=False)
        move(*copy, *home)
    except (NotSafe, OSError):
        unlink_if(copy, copied.facts)
        raise
    flush(home[0])


def restored(file: RunFile, path: PathBytes) -> RunFile:
    """Return a file as it is once it lies at a path, where it was or beside that."""
    reason = "" if path == file.path else f"has another name now: {visible(path)}"
    return file._replace(state=RunFileState.RESTORED, reason=reason)


def unlink_if(spot: Spot, stands_for: os.stat_result | None) -> None:
    """Unlink a name that stands for a file we made, and only then."""
    facts = facts_of(*spot)
    if facts is not None and stands_for is not None and os.path.samestat(facts, stands_for):
        discard(spot[1], spot[0])
