"""Healing: what is damaged goes into the fold, and a good copy, read and compared now, takes its name."""

import os
from collections.abc import Iterator
from contextlib import suppress
from dataclasses import replace

from foldkeep.model import Method, Problem, RunFile, visible
from foldkeep.model.work import reason_of
from foldkeep.storage.local.changes import move_to_free, write_content
from foldkeep.storage.local.reading import READ_BUFFER, NotSafe, facts_of, has_digest, is_regular, open_in, opened

from ..bench import Bench, Ready, Spot
from ..recovery.file_recovery import Scene
from ..removing.own import discard
from ..vault import coming_in
from .replacements import StandIn
from .standing import is_last, remove_standing

_NONE_GOOD = "no copy in its set has the content that it had"


class Heal(StandIn):
    """A damaged file goes into the fold, and a copy of a good one takes its name, with its own times and mode."""

    method = Method.HEAL

    def make(self, bench: Bench, ready: Ready, name: bytes) -> Ready:
        item = ready.item
        why = _NONE_GOOD
        for path in item.good:
            try:
                with opened(path) as good:
                    if not is_regular(os.fstat(good)):
                        continue
                    copied = _copied(bench, ready, good, name)
            except (OSError, NotSafe) as error:
                why = f"its good copy {visible(path)} could not be copied: {reason_of(error)}"
                continue
            if copied == item.expected:
                file = ready.file._replace(keeper=path, words=item.expected)
                return replace(ready, file=file)
            discard(name, bench.vault.files)
        raise NotSafe(why)

    def drop(self, bench: Bench, ready: Ready) -> None:
        in_: Spot = (bench.vault.files, coming_in(ready.file))
        with suppress(OSError):
            if not is_last(bench, ready.file, in_, ready.file.words):
                super().drop(bench, ready)
        if facts_of(*in_) is not None:
            self._keep_beside(bench, ready.file, in_)

    def is_ours(self, bench: Bench, file: RunFile, spot: Spot, original: Spot | None) -> bool:
        return bool(file.words) and has_digest(*spot, file.words)

    def _take_away(self, bench: Bench, file: RunFile, out: Spot, original: Spot) -> None:
        # What fails here is tried again when the run is settled.
        if not remove_standing(bench, file, out, file.words):
            self._keep_beside(bench, file, out)

    def _keep_beside(self, bench: Bench, file: RunFile, spot: Spot) -> None:
        """Put a good copy of ours beside the file: it may be the last."""
        got = move_to_free(*spot, *bench.folders.of(file.path))
        path = os.path.join(os.path.dirname(file.path), got)
        bench.notes.append(Problem(path, "is the good copy, which stays: no other file has its content now"))

    def _is_our_own(self, scene: Scene, in_: Spot, original: Spot | None) -> bool:
        return scene.first is None or not is_last(scene.bench, scene.file, in_, scene.file.words)

    def _is_second_name(self, scene: Scene, out: Spot) -> bool:
        with suppress(NotSafe, OSError):
            return remove_standing(scene.bench, scene.file, out, scene.file.words)
        return False


def _copied(bench: Bench, ready: Ready, good: int, name: bytes) -> bytes:
    """Copy an open good file into the vault, with times and mode of the damaged one; return the digest."""
    damaged = open_in(ready.folder, ready.name)
    try:
        return write_content(_parts(good), damaged, bench.vault.files, name).digest
    finally:
        os.close(damaged)


def _parts(descriptor: int) -> Iterator[bytes]:
    while part := os.read(descriptor, READ_BUFFER):
        yield part
