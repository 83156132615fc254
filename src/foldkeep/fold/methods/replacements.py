"""Stand-ins: what takes the name of a folded spare, so that programs still find something there."""

import os
from abc import ABC, abstractmethod
from contextlib import suppress
from dataclasses import replace

from foldkeep.model import RunFile
from foldkeep.storage.local.changes import move
from foldkeep.storage.local.reading import NotSafe, Stamp, Stamps, facts_of, is_regular
from foldkeep.storage.remote import RemoteStamp

from ..bench import Bench, Ready, Spot
from ..recovery.file_recovery import Scene
from ..removing.disk import remove
from ..removing.own import discard
from ..vault import coming_in, coming_out
from .method import KEEPER_CHANGED, NAME_TAKEN, FoldMethod, file_stands, take
from .standing import is_last


class StandIn(FoldMethod, ABC):
    """A method that folds a spare and puts something of its keeper's in its place."""

    @abstractmethod
    def make(self, bench: Bench, ready: Ready, name: bytes) -> Ready:
        """Make the stand-in under a name in the vault; return the file with what is written down of it."""

    @abstractmethod
    def is_ours(self, bench: Bench, file: RunFile, spot: Spot, original: Spot | None) -> bool:
        """Tell whether what a name stands for is the stand-in that was made for a file, or as good as it.

        `original` is where the file itself lies, if it does, so what has its bytes may go.
        """

    def prepare(self, bench: Bench, ready: Ready) -> Ready:
        name = coming_in(ready.file)
        ready = self.make(bench, ready, name)
        return replace(ready, stand_in=facts_of(bench.vault.files, name))

    def act(self, bench: Bench, ready: Ready) -> RunFile:
        take(bench, ready)
        in_ = (bench.vault.files, coming_in(ready.file))
        try:
            move(*in_, *ready.home)
        except FileExistsError:
            self.drop(bench, ready)
            return ready.file._replace(reason=NAME_TAKEN)
        except OSError:
            bench.back_home(bench.slot(ready.file), *ready.home)
            raise
        facts = facts_of(*ready.home)
        if facts is not None and is_regular(facts):
            bench.stamps.note(facts)
        return ready.file

    def drop(self, bench: Bench, ready: Ready) -> None:
        """Take the stand-in away again, while the file or its keeper stands; else it has the last of their content, and
        gets the name of the file.
        """
        in_ = (bench.vault.files, coming_in(ready.file))
        facts = facts_of(*in_)
        if facts is None or ready.stand_in is None or not os.path.samestat(facts, ready.stand_in):
            return
        if not is_regular(facts):
            discard(in_[1], in_[0])
            return
        if not self.withdraw(bench, ready, in_, facts):
            with suppress(OSError):  # else it stays in the vault, for the recovery
                bench.give_back(ready.file, in_, ready.home)

    def withdraw(self, bench: Bench, ready: Ready, in_: Spot, facts: os.stat_result) -> bool:
        """Delete a regular stand-in, while the file or its keeper stands; tell whether it is gone."""
        try:
            # With stamps of its own: that a link goes must not make an edit of the keeper look like our doing.
            remove(*in_, Stamp.of(facts), Stamps(), lambda: self._stands(bench, ready, facts))
        except NotSafe:
            return False
        return True

    def _stands(self, bench: Bench, ready: Ready, stand_in: os.stat_result) -> bool:
        """Look whether a file, at home or in its slot, or its keeper is what it was."""
        return file_stands(bench, ready) or self._keeper_stands(bench, ready, stand_in)

    def _keeper_stands(self, bench: Bench, ready: Ready, stand_in: os.stat_result) -> bool:
        return ready.verified.witness is not None and bench.witness_stands(ready.verified)

    def undo(self, bench: Bench, file: RunFile, path: bytes) -> None:
        if path == file.path and facts_of(*bench.slot(file)) is not None:
            self._clear_name(bench, file)
        super().undo(bench, file, path)
        out = (bench.vault.files, coming_out(file))
        if facts_of(*out) is not None:
            self._take_away(bench, file, out, bench.folders.of(path))

    def _clear_name(self, bench: Bench, file: RunFile) -> None:
        """Set the stand-in of a file aside; what somebody else put under its name stays there."""
        try:
            home = bench.folders.of(file.path)
        except FileNotFoundError:
            return
        if facts_of(*home) is None or not self.is_ours(bench, file, home, bench.slot(file)):
            return
        out = (bench.vault.files, coming_out(file))
        move(*home, *out, to_our_own=True)
        if not self.is_ours(bench, file, out, bench.slot(file)):
            bench.give_back(file, out, home)

    def _take_away(self, bench: Bench, file: RunFile, out: Spot, original: Spot) -> None:
        """Delete what was set aside, if it is proved to be ours, or whole in the file that came back."""
        facts = facts_of(*out)
        if facts is None:
            return
        if not is_regular(facts):
            if self.is_ours(bench, file, out, original):
                discard(out[1], out[0])
            else:
                bench.give_back(file, out, bench.folders.of(file.path))
            return
        seen = bench.stamps.note(facts)
        stays = facts_of(*original)
        if stays is None or not self.is_ours(bench, file, out, original):
            bench.give_back(file, out, bench.folders.of(file.path))
            return
        witness = bench.stamps.note(stays)
        remove(*out, seen, bench.stamps, lambda: bench.is_still(original, witness))

    def finish(self, scene: Scene) -> None:
        slot, home = scene.slot(), scene.home()
        in_, out = scene.in_(), scene.out()
        if in_:
            if slot and not home and scene.move_home(in_):
                home = scene.home()
            elif self._is_our_own(scene, in_, slot or home):
                discard(in_[1], in_[0])
            else:
                scene.move_home(in_, anywhere=True)
        if out and not (slot and not home and scene.move_home(out)):
            self._finish_out(scene, out, slot or home)

    def _is_our_own(self, scene: Scene, in_: Spot, original: Spot | None) -> bool:
        """Tell whether a stand-in that never got out is proved to be one: as it should be, or not announced.

        One that was not announced may be half of one, or the last that has its content.
        """
        if self.is_ours(scene.bench, scene.file, in_, original):
            return True
        is_file = is_regular(facts_of(*in_))
        return scene.first is None and not (is_file and is_last(scene.bench, scene.file, in_, scene.file.digest))

    def _finish_out(self, scene: Scene, out: Spot, original: Spot | None) -> None:
        """Do away with a stand-in whose name the file has again; what is not ours gets a name beside it."""
        if original is not None and self.is_ours(scene.bench, scene.file, out, original):
            facts = facts_of(*out)
            if facts is not None and not is_regular(facts):
                discard(out[1], out[0])
                return
            if scene.remove_twin(out, original) or self._is_second_name(scene, out):
                return
        scene.move_home(out, anywhere=True)

    def _is_second_name(self, scene: Scene, out: Spot) -> bool:
        """Unlink what was set aside where that is only one more name of a file that stands elsewhere."""
        return False


def check_keeper(bench: Bench, ready: Ready, facts: os.stat_result) -> None:
    """Raise NotSafe if an open keeper is no longer the file that was compared."""
    witness = ready.verified.witness
    stamp = None if witness is None else witness.stamp
    if stamp is None or isinstance(stamp, RemoteStamp) or not bench.stamps.is_same(stamp, facts):
        raise NotSafe(KEEPER_CHANGED)
