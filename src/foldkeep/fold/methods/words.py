"""Sidecars of keepers that are written, so that what spares' sidecars said is still said."""

import os
from dataclasses import replace

from blake3 import blake3

from foldkeep.model import Method, RunFile, RunFileState
from foldkeep.storage.local.changes import is_claim, move, write_like
from foldkeep.storage.local.reading import NotSafe, digest_in, facts_of, has_digest

from ..bench import Bench, Ready, Spot
from ..recovery.file_recovery import Scene
from ..removing.disk import remove, seen_now
from ..removing.own import discard
from ..runs.plan import Merge
from ..sidecars.merging import merge_words, read_sidecar_in
from ..vault import coming_in, coming_out
from ..verify import look_at
from .method import NAME_TAKEN, NOT_BEGUN, FoldMethod, unlink_if
from .replacements import StandIn

NOTHING_NEW = "there was nothing new to say"


class Rewrite(StandIn):
    """The sidecar of a keeper goes into the fold, and one that says more takes its name."""

    method = Method.REWRITE

    def make(self, bench: Bench, ready: Ready, name: bytes) -> Ready:
        ready = replace(ready, verified=look_at(ready.item.row, ready.folder, ready.name))
        former = read_sidecar_in(ready.folder, ready.name)
        document = _document(bench, ready, former)
        file = ready.file._replace(state=RunFileState.WAITING, keeper=ready.file.path, digest=blake3(former).digest(),
            words=blake3(document).digest(),
        )  # fmt: skip
        write_like(ready.folder, ready.name, bench.vault.files, name, document)
        return replace(ready, file=file)

    def act(self, bench: Bench, ready: Ready) -> RunFile:
        done = super().act(bench, ready)
        if done.reason == NAME_TAKEN:
            return done._replace(words=b"")
        bench.merged.append(bench.expected[done.number])
        return done

    def undo(self, bench: Bench, file: RunFile, path: bytes) -> None:
        if bench.keeps_words:
            FoldMethod.undo(self, bench, file, path)
            return
        super().undo(bench, file, path)

    def is_ours(self, bench: Bench, file: RunFile, spot: Spot, original: Spot | None) -> bool:
        return bool(file.words) and has_digest(*spot, file.words)

    def _take_away(self, bench: Bench, file: RunFile, out: Spot, original: Spot) -> None:
        _take_away_written(bench, file, out)

    def _finish_out(self, scene: Scene, out: Spot, original: Spot | None) -> None:
        if not scene.remove_known(out, scene.file.words):
            scene.move_home(out, anywhere=True)


class Write(FoldMethod):
    """A sidecar is written where none was; to undo that is to take it away again."""

    method = Method.WRITE
    went = RunFileState.MADE

    def prepare(self, bench: Bench, ready: Ready) -> Ready:
        document = _document(bench, ready, None)
        file = ready.file._replace(state=RunFileState.MADE, words=blake3(document).digest())
        name = coming_in(file)
        merge = _merge_of(ready)
        write_like(ready.folder, os.path.basename(merge.keeper), bench.vault.files, name, document)
        return replace(ready, file=file, stand_in=facts_of(bench.vault.files, name))

    def act(self, bench: Bench, ready: Ready) -> RunFile:
        move(bench.vault.files, coming_in(ready.file), *ready.home)
        bench.merged.append(bench.expected[ready.file.number])
        return ready.file

    def drop(self, bench: Bench, ready: Ready) -> None:
        unlink_if((bench.vault.files, coming_in(ready.file)), ready.stand_in)

    def undo(self, bench: Bench, file: RunFile, path: bytes) -> None:
        if bench.keeps_words:
            raise NotSafe("stays, since what it says may be nowhere else now")
        try:
            home = bench.folders.of(file.path)
        except FileNotFoundError:
            return
        if facts_of(*home) is None:
            return
        if not has_digest(*home, file.words):
            if is_claim(*home) and bench.makes_claims():  # which a power cut left
                discard(home[1], home[0])
                return
            raise NotSafe("changed since it was written; take it away yourself")
        out = (bench.vault.files, coming_out(file))
        move(*home, *out, to_our_own=True)
        _take_away_written(bench, file, out)

    def finish(self, scene: Scene) -> None:
        in_, out = scene.in_(), scene.out()
        if in_ and (scene.first is None or scene.remove_known(in_, scene.file.words)):
            unlink_if(in_, facts_of(*in_))
        if out and not scene.remove_known(out, scene.file.words):
            scene.move_home(out, anywhere=True)

    def state(self, scene: Scene) -> RunFile:
        """Return a file that the run wrote itself: it is there until it is unfolded, or somebody takes it away."""
        there = scene.home() is not None
        if scene.is_unknown:
            return scene.file
        if scene.began and scene.is_returning and not there:
            return scene.file._replace(state=RunFileState.RESTORED)
        if scene.began or (there and scene.last):
            return scene.file._replace(state=RunFileState.MADE)
        return scene.file._replace(state=RunFileState.LEFT, reason=scene.file.reason or NOT_BEGUN)


def _merge_of(ready: Ready) -> Merge:
    if ready.item.merge is None:
        raise ValueError("it has nothing to be written")
    return ready.item.merge


def _document(bench: Bench, ready: Ready, former: bytes | None) -> bytes:
    """Return the sidecar as it is to be; NotSafe if there is nothing new to say, or it cannot be added."""
    try:
        merged, document = merge_words(_merge_of(ready), ready.file.path, former, bench.went)
    except ValueError as error:
        raise NotSafe(f"what is said of its file's copies could not be added: {error}") from error
    if document is None:
        raise NotSafe(NOTHING_NEW)
    bench.expected[ready.file.number] = merged
    return document


def _take_away_written(bench: Bench, file: RunFile, out: Spot) -> None:
    """Delete a sidecar of our own that was set aside, if it says exactly what was written, read then and there."""
    seen = seen_now(*out)
    if seen is None or digest_in(*out) != file.words:
        bench.give_back(file, out, bench.folders.of(file.path))
        raise NotSafe("changed since it was written; take it away yourself")
    remove(*out, seen, bench.stamps, lambda: True)
