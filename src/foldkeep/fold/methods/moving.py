"""Moving into a folder that the user names: a rename on one volume, a copy that is read back on another."""

import os
import stat
from contextlib import suppress
from dataclasses import replace

from foldkeep.model import Method, Problem, RunFile, RunFileState, visible
from foldkeep.model.volumes import is_lasting_key
from foldkeep.storage.local.changes import copy_file, flush, move, move_to_free
from foldkeep.storage.local.reading import (
    Identity,
    NotSafe,
    Stamp,
    check_unchanged,
    digest_in,
    facts_of,
    may_have_one,
    modified_ns,
)

from ..bench import Bench, Ready, Spot, free_names
from ..journal import Going
from ..recovery.file_recovery import Scene
from ..removing.disk import CHANGED, GONE, remove, seen_now
from ..removing.own import discard
from ..vault import copy_name
from .method import KEEPER_CHANGED, FoldMethod, file_stands, folded_state, is_what_went, put_home, take

_TARGET_CHANGED = "what was copied to the other volume changed or went away"


class Move(FoldMethod):
    """A file goes to a target; across volumes its copy is read back, and then the original is deleted."""

    method = Method.MOVE
    went = RunFileState.MOVED

    def prepare(self, bench: Bench, ready: Ready) -> Ready:
        check_drive_is_here(bench)
        folder, _ = bench.targets.of(ready.file.target, make=True)
        check_drive_is_here(bench)
        ready = replace(ready, file=with_free_target(bench, ready.file, folder))
        if os.fstat(folder).st_dev == bench.vault.device:
            return ready
        above = os.path.dirname(ready.file.target)
        mode = stat.S_IMODE(os.stat(ready.name, dir_fd=ready.folder, follow_symlinks=False).st_mode)
        file = ready.file._replace(target_volume=bench.volume_key(folder, above), mode=mode)
        bench.vault.journal.write([*bench.touched(), Going(file, across=True, is_copied=True)], makes_room=True)
        copied = copy_file(*ready.home, folder, copy_name(bench.key, file))
        ready = replace(ready, file=file, copy=copied.facts)
        if file.digest not in (b"", copied.digest):
            self.drop(bench, ready)
            raise NotSafe("changed while it was copied")
        if copied.lost:
            lost = ", ".join(copied.lost)
            bench.notes.append(Problem(file.path, f"could not be given to its copy on the other volume: {lost}"))
        return replace(
            ready, file=file._replace(digest=copied.digest, target_modified_ns=modified_ns(copied.facts)),
            verified=replace(ready.verified, digest=copied.digest),
        )  # fmt: skip

    def act(self, bench: Bench, ready: Ready) -> RunFile:
        folder, _ = bench.targets.of(ready.file.target)
        source: Spot = ready.home
        if ready.copy is not None:
            source = (folder, copy_name(bench.key, ready.file))
        else:
            check_unchanged(*source, ready.verified.spare, bench.stamps)
        while True:
            target = (folder, os.path.basename(ready.file.target))
            try:
                move(*source, *target)
                break
            except FileExistsError:
                ready = replace(ready, file=with_free_target(bench, ready.file, folder))
                bench.vault.journal.write([Going(ready.file, across=ready.copy is not None)])
        if ready.copy is not None:
            return self._act_across(bench, ready, target)
        facts = facts_of(*target)
        if facts is None or not is_what_went(target, facts, ready):
            raise NotSafe("changed while it was folded" + bench.back_home(target, *ready.home))
        bench.stamps.note(facts)
        if not bench.witness_stands(ready.verified):
            raise NotSafe(KEEPER_CHANGED + bench.back_home(target, *ready.home))
        return ready.file

    def _act_across(self, bench: Bench, ready: Ready, target: Spot) -> RunFile:
        """Take the original away once its copy stands; whatever fails, one of the two stays whole."""
        flush(target[0])
        copy = facts_of(*target)
        if copy is None or ready.copy is None or Identity.of(copy) != Identity.of(ready.copy):
            raise NotSafe(_TARGET_CHANGED)
        stands = Stamp.of(copy)
        try:
            take(bench, ready)
        except (NotSafe, OSError):
            if facts_of(*bench.slot(ready.file)) is None:
                self._take_back(bench, target, stands, ready.home, ready.file.digest)
            raise
        slot = bench.slot(ready.file)
        try:
            remove_compared(bench, slot, target, ready.file.digest, stands)
        except (NotSafe, OSError):
            bench.back_home(slot, *ready.home)
            self._take_back(bench, target, stands, ready.home, ready.file.digest)
            raise
        return ready.file

    def _take_back(self, bench: Bench, target: Spot, seen: Stamp, home: Spot, digest: bytes) -> None:
        """Delete the copy at the target again, if it is ours and the original is whole at home."""
        with suppress(NotSafe, OSError):
            stays = seen_now(*home)
            is_another = stays is not None and not may_have_one(stays, seen)
            if stays is not None and is_another and digest_in(*home) == digest_in(*target) == digest:
                remove(*target, seen, bench.stamps, lambda: bench.is_still(home, stays))

    def drop(self, bench: Bench, ready: Ready) -> None:
        if ready.copy is None:
            return
        folder, wanted = bench.targets.of(ready.file.target)
        copy = (folder, copy_name(bench.key, ready.file))
        facts = facts_of(*copy)
        if facts is None or not os.path.samestat(facts, ready.copy):
            return
        try:
            remove(*copy, Stamp.of(facts), bench.stamps, lambda: file_stands(bench, ready))
        except NotSafe:
            got = move_to_free(*copy, folder, wanted)
            path = os.path.join(os.path.dirname(ready.file.target), got)
            bench.notes.append(Problem(path, f"is a copy of {visible(ready.file.path)}, which went away meanwhile"))

    def undo(self, bench: Bench, file: RunFile, path: bytes) -> None:
        if facts_of(*bench.slot(file)) is not None:
            super().undo(bench, file, path)
            if file.target_volume:
                # Its copy is looked up and taken away where it can be, before this; now its drive is away.
                note = "may be a copy of a file that came back; its drive is away, so look there when it is back"
                bench.notes.append(Problem(file.target, note))
            return
        target = _target_of(bench, file)
        home = bench.folders.of(path, make=True)
        facts = facts_of(*target)
        if facts is None:
            raise NotSafe(f"gone from {visible(file.target)}; somebody took it away")
        seen = Stamp.of(facts)
        if os.fstat(target[0]).st_dev == os.fstat(home[0]).st_dev:
            _check_same_content(file, target, facts)
            check_unchanged(*target, seen, bench.stamps)
            move(*target, *home)
        else:
            self._bring_across(bench, file, target, home, seen)

    def _bring_across(self, bench: Bench, file: RunFile, target: Spot, home: Spot, seen: Stamp) -> None:
        copy: Spot = (home[0], copy_name(bench.key, file))
        copied = copy_file(*target, *copy)
        put_home(file, copied, copy, home, _changed_at(file) if file.digest and copied.digest != file.digest else "")
        stays = seen_now(*home)
        aside: Spot = (target[0], copy_name(bench.key, file))
        check_unchanged(*target, seen, bench.stamps)
        move(*target, *aside, to_our_own=True)
        now = facts_of(*aside)
        if now is None or Identity.of(now) != seen.identity or stays is None:
            bench.give_back(file, aside, target)
            raise NotSafe(_changed_at(file))
        try:
            # It was read whole a moment ago, and set aside since under a name that nobody else knows.
            remove_compared(bench, aside, home, copied.digest, stays)
        except (NotSafe, OSError):
            bench.give_back(file, aside, target)
            raise

    def finish(self, scene: Scene) -> None:
        if not scene.pending or scene.is_unknown:
            return
        self._finish_copies(scene)
        slot, target, home = scene.slot(), scene.target(), scene.home()
        if not target:
            return
        if slot:
            scene.remove_twin(slot, target)
        elif home and scene.is_home():
            scene.remove_twin(target, home)

    def _finish_copies(self, scene: Scene) -> None:
        """Take away what lies under our own names beside home and target and is whole elsewhere."""
        copy, copy_home = scene.copy_at_target(), scene.copy_at_home()
        originals = [spot for spot in (scene.slot(), scene.home(), scene.target()) if spot]
        # One at home was being made from what is at the target, or under our name beside that.
        if copy_home and scene.is_returning and (scene.slot() or copy or scene.target()):
            discard(copy_home[1], copy_home[0])
        if not copy:
            return
        if any(scene.remove_twin(copy, original) for original in originals):
            return
        if scene.is_returning:
            # What was set aside there is not what came home, so it goes back to where it was.
            scene.move_to_target(copy)
        elif scene.slot() or scene.is_home():
            # Only announced, so it is a copy that was begun and has never had another name.
            discard(copy[1], copy[0])
        elif not scene.target():
            scene.move_to_target(copy)

    def state(self, scene: Scene) -> RunFile:
        is_known = scene.began or scene.first is not None
        if is_known and not scene.slot() and not scene.is_unknown and not scene.is_releasing:
            if scene.target() and (scene.began or not scene.is_home()):
                return scene.file._replace(state=RunFileState.MOVED, reason="")
            if not scene.is_home() and scene.began:
                return scene.file._replace(state=RunFileState.LOST, reason=_gone_from(scene.file))
        return folded_state(scene)


def remove_compared(bench: Bench, spot: Spot, witness: Spot, digest: bytes, stands: Stamp) -> None:
    """Delete a file whose content another has as well: both are read once more, then and there.

    Raises
    ------
    NotSafe
        If one of them is not what it should be; nothing is deleted then.
    """
    seen = seen_now(*spot)
    if seen is None or may_have_one(seen, stands) or digest_in(*spot) != digest:
        raise NotSafe(CHANGED)
    if not bench.is_still(witness, stands) or digest_in(*witness) != digest:
        raise NotSafe(GONE)
    remove(*spot, seen, bench.stamps, lambda: bench.is_still(witness, stands))


def check_drive_is_here(bench: Bench) -> None:
    """Raise NotSafe if the drive of the target went: no file must lie in the folder under where it is mounted."""
    if bench.into is None:
        return
    folder, device = bench.into
    try:
        is_here = os.stat(folder).st_dev == device
    except OSError:
        is_here = False
    if not is_here:
        raise NotSafe(f"the drive of {visible(folder)} went away; connect it")


def with_free_target(bench: Bench, file: RunFile, folder: int) -> RunFile:
    """Return a file with its target, or a name beside that, that is free in an open folder and not promised to others.

    Raises NotSafe if none is.
    """
    above, name = os.path.split(file.target)
    ours = {os.path.basename(path) for path in bench.promised}
    for free in free_names(folder, name, ours):
        path = os.path.join(above, free)
        if path not in bench.promised:
            bench.promised.add(path)
            return file._replace(target=path)
    raise NotSafe("no name is free for it there")


def _target_of(bench: Bench, file: RunFile) -> Spot:
    """Return where a file was moved to; NotSafe if that cannot be looked at, or lies on another drive now."""
    try:
        folder, name = bench.targets.of(file.target)
    except FileNotFoundError:
        raise NotSafe(f"{visible(file.target)} is not there; connect its drive, or somebody took it away") from None
    # A volume without a name of its own may be known by another now; then what lies there decides.
    is_named = is_lasting_key(file.target_volume)
    if file.target_volume and (is_named or facts_of(folder, name) is None):
        now = bench.volume_key(folder, os.path.dirname(file.target))
        if now != file.target_volume:
            raise NotSafe(f"the drive of {visible(file.target)} is away; connect it")
    return folder, name


def _check_same_content(file: RunFile, target: Spot, facts: os.stat_result) -> None:
    """Raise NotSafe if a file is not what was moved; where its time does not tell, its content decides."""
    times = (file.modified_ns, file.target_modified_ns)
    if facts.st_size == file.size and modified_ns(facts) in times:
        return
    if not file.digest or facts.st_size != file.size or digest_in(*target) != file.digest:
        raise NotSafe(_changed_at(file))


def _changed_at(file: RunFile) -> str:
    return f"changed since it was moved to {visible(file.target)}; take it from there yourself"


def _gone_from(file: RunFile) -> str:
    return f"gone from {visible(file.target)}; somebody took it away"
