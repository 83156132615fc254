"""The desktop's own bin, from where only the desktop brings a file back."""

import os

from foldkeep.model import Method, RunFile, RunFileState
from foldkeep.storage.local.reading import NotSafe, check_unchanged

from ..bench import Bench, Ready
from ..recovery.file_recovery import Scene
from .method import KEEPER_CHANGED, FoldMethod, folded_state


class Bin(FoldMethod):
    """A spare goes into the desktop's bin."""

    method = Method.BIN
    went = RunFileState.BINNED

    def act(self, bench: Bench, ready: Ready) -> RunFile:
        from send2trash import send2trash

        check_unchanged(*ready.home, ready.verified.spare, bench.stamps)
        if not bench.witness_stands(ready.verified):
            raise NotSafe(KEEPER_CHANGED)
        send2trash(os.fsdecode(ready.file.path))
        return ready.file

    def undo(self, bench: Bench, file: RunFile, path: bytes) -> None:
        raise NotSafe("in the desktop's bin; only the desktop restores it")

    def state(self, scene: Scene) -> RunFile:
        found = folded_state(scene)
        is_gone = found.state is RunFileState.LOST or (found.state is RunFileState.LEFT and scene.first is not None)
        if is_gone and not scene.is_home() and not scene.is_unknown:
            return found._replace(state=RunFileState.BINNED, reason="")
        return found
