"""Moving onto a server: written there under a name of our own, read back, named, and only then the original goes."""

import os
import stat
from contextlib import suppress
from dataclasses import replace

from foldkeep.model import PathBytes, RunFile, RunFileState, visible
from foldkeep.model.names import names_to_try
from foldkeep.model.remote import server_of
from foldkeep.storage.local.changes import write_content
from foldkeep.storage.local.reading import NotSafe, digest_in, facts_of, open_in
from foldkeep.storage.remote import (
    RemoteStamp,
    make_folder,
    read_remote,
    remote_stands,
    remote_storage,
    take_back,
    upload,
)

from ..bench import Bench, Ready
from ..journal import Going
from ..recovery.file_recovery import Scene
from ..removing.disk import CHANGED, GONE, remove, seen_now
from ..removing.own import discard, discard_afar
from ..vault import copy_name
from .method import FoldMethod, folded_state, put_home, take
from .moving import Move


class Upload(Move):
    """A file goes to a target on a server; its copy there is read back, and then the original is deleted."""

    def prepare(self, bench: Bench, ready: Ready) -> Ready:
        file = self._with_free_target(bench, ready.file)
        storage = remote_storage(file.target)
        make_folder(storage, file.target.rpartition(b"/")[0], server_of(file.target))
        mode = stat.S_IMODE(os.stat(ready.name, dir_fd=ready.folder, follow_symlinks=False).st_mode)
        file = file._replace(mode=mode, target_volume=f"server:{visible(server_of(file.target))}")
        bench.vault.journal.write([*bench.touched(), Going(file, across=True, is_copied=True)], makes_room=True)
        descriptor = open_in(*ready.home)
        try:
            digest = upload(storage, descriptor, _copy_path(bench, file))
            if file.digest not in (b"", digest):
                take_back(storage, _copy_path(bench, file), digest)
                raise NotSafe("changed while it was copied")
        finally:
            os.close(descriptor)
        ready = replace(ready, file=file._replace(digest=digest))
        return replace(ready, verified=replace(ready.verified, digest=digest))

    def act(self, bench: Bench, ready: Ready) -> RunFile:
        while True:
            try:
                stamp = _named(bench, ready.file)
                break
            except FileExistsError:
                ready = replace(ready, file=self._with_free_target(bench, ready.file))
                bench.vault.journal.write([Going(ready.file, across=True)])
        file = ready.file
        try:
            take(bench, ready)
        except (NotSafe, OSError):
            if facts_of(*bench.slot(file)) is None:
                _drop_twin(file, stamp, ready.home)
            raise
        slot = bench.slot(file)
        try:
            seen = seen_now(*slot)
            if seen is None or digest_in(*slot) != file.digest:
                raise NotSafe(CHANGED)
            digest, now = read_remote(file.target)
            if digest != file.digest or not stamp.may_be(now):
                raise NotSafe(GONE)
            stamp = now
            remove(*slot, seen, bench.stamps, lambda: remote_stands(file.target, stamp, file.digest))
        except (NotSafe, OSError):
            bench.back_home(slot, *ready.home)
            _drop_twin(file, stamp, ready.home)
            raise
        return file

    def drop(self, bench: Bench, ready: Ready) -> None:
        path = _copy_path(bench, ready.file)
        take_back(remote_storage(path), path, ready.file.digest)

    def undo(self, bench: Bench, file: RunFile, path: PathBytes) -> None:
        if facts_of(*bench.slot(file)) is not None:
            FoldMethod.undo(self, bench, file, path)
            return
        storage = remote_storage(file.target)
        facts = storage.facts(file.target)
        if facts is None:
            raise NotSafe(f"gone from {visible(file.target)}; somebody took it away")
        home = bench.folders.of(path, make=True)
        copy = (home[0], copy_name(bench.key, file))
        copied = write_content(storage.parts(file.target, facts.etag), None, *copy)
        why = f"changed since it was moved to {visible(file.target)}; take it from there yourself"
        put_home(file, copied, copy, home, "" if copied.digest == file.digest else why)
        # What came home was read back a moment ago; what is at the target goes only if it is still what was fetched.
        stamp = RemoteStamp.of(facts)
        if digest_in(*home) != file.digest or not remote_stands(file.target, stamp, file.digest):
            raise NotSafe(f"came home, and its copy at {visible(file.target)} stays: one of them changed meanwhile")
        with suppress(FileNotFoundError):
            discard_afar(storage, file.target, facts.etag)

    def finish(self, scene: Scene) -> None:
        if not scene.pending or scene.is_unknown:
            return
        bench, file, storage = scene.bench, scene.file, remote_storage(scene.file.target)
        copy, target = storage.facts(_copy_path(bench, file)), storage.facts(file.target)
        slot, home, copy_home = scene.slot(), scene.home(), scene.copy_at_home()
        if copy_home and scene.is_returning and (slot or target):
            discard(copy_home[1], copy_home[0])
        if copy and (slot or scene.is_home()):
            discard_afar(storage, _copy_path(bench, file), copy.etag)  # only announced, and never had another name
        elif copy and not target:
            storage.move(_copy_path(bench, file), file.target, copy.etag)
            target = storage.facts(file.target)
        if not target or not file.digest:
            return
        if slot and digest_in(*slot) == file.digest and _has(file.target, file.digest):
            seen, stamp = seen_now(*slot), RemoteStamp.of(target)
            if seen is not None:
                remove(*slot, seen, bench.stamps, lambda: remote_stands(file.target, stamp, file.digest))
        elif home and scene.is_home() and digest_in(*home) == file.digest and _has(file.target, file.digest):
            discard_afar(storage, file.target, target.etag)

    def state(self, scene: Scene) -> RunFile:
        if scene.is_unknown or scene.slot() or (not scene.began and scene.first is None):
            return folded_state(scene)
        target = remote_storage(scene.file.target).facts(scene.file.target)
        is_whole = target is not None and target.size == scene.file.size
        if is_whole and (scene.began or not scene.is_home()):
            return scene.file._replace(state=RunFileState.MOVED, reason="")
        if scene.began and not scene.is_home():
            gone = f"gone from {visible(scene.file.target)}; somebody took it away"
            return scene.file._replace(state=RunFileState.LOST, reason=gone)
        return folded_state(scene)

    def _with_free_target(self, bench: Bench, file: RunFile) -> RunFile:
        folder, _, name = file.target.rpartition(b"/")
        storage = remote_storage(file.target)
        for each in names_to_try(name):
            path = folder + b"/" + each
            if path not in bench.promised and storage.facts(path) is None:
                bench.promised.add(path)
                return file._replace(target=path)
        raise NotSafe("no name is free for it there")


def _copy_path(bench: Bench, file: RunFile) -> PathBytes:
    """Return the path of a copy until it has its name: ours, since nobody else knows the run's key."""
    return file.target.rpartition(b"/")[0] + b"/" + copy_name(bench.key, file)


def _named(bench: Bench, file: RunFile) -> RemoteStamp:
    """Give a whole copy its name, and return what it is told by there; FileExistsError if somebody took the name."""
    storage, path = remote_storage(file.target), _copy_path(bench, file)
    facts = storage.facts(path)
    try:
        storage.move(path, file.target, facts.etag if facts else "")
    except OSError:
        if storage.facts(path) is not None:
            raise
    digest, stamp = read_remote(file.target, storage=storage)
    if digest != file.digest:
        raise NotSafe("its copy on the server was changed or taken away at once; look again")
    return stamp


def _drop_twin(file: RunFile, stamp: RemoteStamp, home: tuple[int, bytes]) -> None:
    """Delete the copy at the target again, if the original lies whole at home, both read now."""
    with suppress(NotSafe, OSError):
        digest, now = read_remote(file.target)
        if digest_in(*home) == file.digest == digest and stamp.may_be(now):
            discard_afar(remote_storage(file.target), file.target, now.etag)


def _has(path: PathBytes, digest: bytes) -> bool:
    return read_remote(path)[0] == digest
