"""Copies into a folder that the user names: nothing goes, and what is undone is only what still stands elsewhere."""

import os
from contextlib import suppress
from dataclasses import replace

from foldkeep.model import Method, Problem, RunFile, RunFileState
from foldkeep.storage.local.changes import copy_open_file, is_claim, move
from foldkeep.storage.local.reading import NotSafe, digest_of, facts_of, has_digest, is_regular, modified_ns, opened

from ..bench import Bench, Ready, Spot
from ..journal import Going
from ..recovery.file_recovery import Scene
from ..removing.own import discard
from ..vault import coming_in, coming_out
from ..verify import check_row
from .method import FoldMethod, unlink_if
from .moving import check_drive_is_here, with_free_target
from .standing import is_last, remove_standing

_CHANGED_SINCE = "changed since it was copied; take it away yourself"
_NOT_BEGUN = "the run ended before it was copied"
_LAST = "stays, since no other file with its content can be read now"


class Copy(FoldMethod):
    """A file is copied to a target in a place, flushed and read back; to undo that is to take the copy away again."""

    method = Method.COPY
    went = RunFileState.MADE

    def prepare(self, bench: Bench, ready: Ready) -> Ready:
        check_drive_is_here(bench)
        folder, _ = bench.targets.of(ready.file.target, make=True)
        check_drive_is_here(bench)
        if os.fstat(folder).st_dev != bench.vault.device:
            raise NotSafe("would lie on another volume than the fold of its place; make that volume a place of its own")
        row = ready.item.row
        with opened(row.path) as original:
            check_row(row, os.fstat(original))
            if _is_there(original, folder, os.path.basename(ready.file.target)):
                raise NotSafe("lies there already, with the same content")
            file = with_free_target(bench, ready.file._replace(keeper=row.path), folder)
            # Announced before it is there: a whole film may lie in the fold when the power goes.
            bench.vault.journal.write([*bench.touched(), Going(file, is_copied=True)], makes_room=True)
            copied = copy_open_file(original, bench.vault.files, coming_in(file))
        ready = replace(
            ready, stand_in=copied.facts,
            file=file._replace(digest=copied.digest, target_modified_ns=modified_ns(copied.facts)),
        )  # fmt: skip
        if row.digest not in (None, copied.digest):
            self.drop(bench, ready)
            raise NotSafe("its content is not what the docket says; look again")
        if copied.lost:
            lost = ", ".join(copied.lost)
            bench.notes.append(Problem(file.target, f"could not be given to this copy: {lost}"))
        return ready

    def act(self, bench: Bench, ready: Ready) -> RunFile:
        folder, _ = bench.targets.of(ready.file.target)
        while True:
            target = (folder, os.path.basename(ready.file.target))
            try:
                move(bench.vault.files, coming_in(ready.file), *target)
                break
            except FileExistsError:
                ready = replace(ready, file=with_free_target(bench, ready.file, folder))
                bench.vault.journal.write([Going(ready.file)])
        facts = facts_of(*target)
        if facts is None or ready.stand_in is None or facts.st_size != ready.stand_in.st_size:
            raise NotSafe("its copy was changed or taken away at once; look again")
        return ready.file

    def drop(self, bench: Bench, ready: Ready) -> None:
        """Take a copy away again while another file has its content, or where it is not whole."""
        in_ = (bench.vault.files, coming_in(ready.file))
        digest = ready.file.digest
        with suppress(NotSafe, OSError):
            if remove_standing(bench, ready.file, in_, digest):
                return
        if digest and has_digest(*in_, digest):
            give_back_target(bench, ready.file, in_, bench.targets.of(ready.file.target))
        else:
            unlink_if(in_, ready.stand_in)

    def undo(self, bench: Bench, file: RunFile, path: bytes) -> None:
        try:
            target = bench.targets.of(file.target)
        except FileNotFoundError:
            return
        if facts_of(*target) is None:
            return
        if not has_digest(*target, file.digest):
            if is_claim(*target) and bench.makes_claims():  # which a power cut left
                discard(target[1], target[0])
                return
            raise NotSafe(_CHANGED_SINCE)
        out = (bench.vault.files, coming_out(file))
        move(*target, *out, to_our_own=True)
        try:
            is_removed = remove_standing(bench, file, out, file.digest)
        except (NotSafe, OSError):
            give_back_target(bench, file, out, target)
            raise
        if not is_removed:
            give_back_target(bench, file, out, target)
            raise NotSafe(_LAST)

    def finish(self, scene: Scene) -> None:
        if in_ := scene.in_():
            self._finish_in(scene, in_)
        if out := scene.out():
            give_back_target(scene.bench, scene.file, out, scene.bench.targets.of(scene.file.target, make=True))

    def _finish_in(self, scene: Scene, in_: Spot) -> None:
        """Take away a copy that was begun, or whole; but one that may be the last goes where it was to be."""
        if is_last(scene.bench, scene.file, in_, scene.file.digest):
            give_back_target(scene.bench, scene.file, in_, scene.bench.targets.of(scene.file.target, make=True))
            return
        discard(in_[1], in_[0])

    def state(self, scene: Scene) -> RunFile:
        """Return a copy that the run made: it is there until it is unfolded, or somebody takes it away."""
        if scene.is_unknown:
            return scene.file
        target = scene.target()
        if scene.began:
            is_back = scene.is_returning and target is None
            return scene.file._replace(state=RunFileState.RESTORED if is_back else RunFileState.MADE)
        if target and scene.file.digest and has_digest(*target, scene.file.digest):
            return scene.file._replace(state=RunFileState.MADE)
        return scene.file._replace(state=RunFileState.LEFT, reason=scene.file.reason or _NOT_BEGUN)


def _is_there(original: int, folder: int, name: bytes) -> bool:
    """Tell whether a name in an open folder has the content of an open file."""
    there, facts = facts_of(folder, name), os.fstat(original)
    if there is None or not is_regular(there) or there.st_size != facts.st_size:
        return False
    digest, size = digest_of(original, facts.st_size)
    return size == facts.st_size and has_digest(folder, name, digest)


def give_back_target(bench: Bench, file: RunFile, spot: Spot, target: Spot) -> None:
    """Put a copy that was set aside back where it was, or beside that."""
    got = bench.back_home(spot, *target)
    if got:
        bench.notes.append(Problem(file.target, f"is a copy that stays{got}"))
