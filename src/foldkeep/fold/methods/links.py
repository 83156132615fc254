"""Links in the places of spares: hard ones, which are the keeper itself, and symbolic ones, which lead to it."""

import errno
import os
import stat
from dataclasses import replace

from foldkeep.model import Method, RunFile
from foldkeep.model.names import lies_below
from foldkeep.storage.local.changes import link, unlink_twin
from foldkeep.storage.local.reading import FILE, FOLDER, NotSafe, facts_of, open_path, opened, same_content

from ..bench import Bench, Ready, Spot
from ..recovery.file_recovery import Scene
from ..vault import PROBES
from .method import KEEPER_CHANGED
from .replacements import StandIn, check_keeper


class HardLink(StandIn):
    """A spare goes into the fold, and a hard link to its keeper takes its name."""

    method = Method.HARD_LINK
    words = "hard links"

    def try_out(self, files: int) -> None:
        probe, other = PROBES
        link(files, probe, files, other)
        if not os.path.samestat(*(os.stat(name, dir_fd=files, follow_symlinks=False) for name in PROBES)):
            raise OSError(errno.EOPNOTSUPP, "two names of one file look like two files there")

    def make(self, bench: Bench, ready: Ready, name: bytes) -> Ready:
        witness = ready.verified.witness
        if witness is None:
            raise NotSafe(KEEPER_CHANGED)
        try:
            keeper = open_path(witness.path, FILE)
        except OSError:
            raise NotSafe(KEEPER_CHANGED) from None
        try:
            before = os.fstat(keeper)
            check_keeper(bench, ready, before)
            _link(witness.path, bench.vault.files, name)
            made = facts_of(bench.vault.files, name)
            if made is None or not os.path.samestat(made, before):
                if made is not None:  # what else it may be is looked at by the recovery, if it must stay
                    self.withdraw(bench, ready, (bench.vault.files, name), made)
                raise NotSafe(KEEPER_CHANGED)
            # The link changed the keeper's stamp; others in this run may have that keeper.
            bench.stamps.note(made)
        finally:
            os.close(keeper)
        return ready

    def drop(self, bench: Bench, ready: Ready) -> None:
        # Taking the link away changes the keeper's stamp again.
        witness = ready.verified.witness
        stood = witness is not None and witness.stands(bench.stamps)
        super().drop(bench, ready)
        if stood and witness is not None and ready.stand_in is not None:
            bench.note_if_same(witness.path, ready.stand_in)

    def _keeper_stands(self, bench: Bench, ready: Ready, stand_in: os.stat_result) -> bool:
        witness = ready.verified.witness
        return witness is not None and _is_file_at(witness.path, stand_in)

    def is_ours(self, bench: Bench, file: RunFile, spot: Spot, original: Spot | None) -> bool:
        facts = facts_of(*spot)
        if facts is None or not stat.S_ISREG(facts.st_mode):
            return False
        if _is_file_at(file.keeper, facts):
            return True
        return original is not None and same_content(*spot, *original)

    def _take_away(self, bench: Bench, file: RunFile, out: Spot, original: Spot) -> None:
        if not _unlinked_second_name(file, out):
            super()._take_away(bench, file, out, original)

    def _is_second_name(self, scene: Scene, out: Spot) -> bool:
        return _unlinked_second_name(scene.file, out)

    def _is_our_own(self, scene: Scene, in_: Spot, original: Spot | None) -> bool:
        facts = facts_of(*in_)
        if facts is not None and facts.st_nlink == 1 and not self.is_ours(scene.bench, scene.file, in_, original):
            return False  # the last name of what its keeper had, which somebody may have edited meanwhile
        return super()._is_our_own(scene, in_, original)


class SymbolicLink(StandIn):
    """A spare goes into the fold, and a symbolic link to its keeper takes its name."""

    method = Method.SYMLINK
    words = "symbolic links"

    def try_out(self, files: int) -> None:
        _, other = PROBES
        leading_up = b"../../.."  # a share may refuse to tell of such links, and then they could not be taken back
        os.symlink(leading_up, other, dir_fd=files)
        if os.readlink(other, dir_fd=files) != leading_up:
            raise OSError(errno.EOPNOTSUPP, "links say something else than they were given")

    def make(self, bench: Bench, ready: Ready, name: bytes) -> Ready:
        text = link_text(ready.file)
        os.symlink(text, name, dir_fd=bench.vault.files)
        file = ready.file._replace(link=text)
        return replace(ready, file=file)

    def is_ours(self, bench: Bench, file: RunFile, spot: Spot, original: Spot | None) -> bool:
        facts = facts_of(*spot)
        if facts is None or not stat.S_ISLNK(facts.st_mode) or original is None:
            return False
        return is_our_link(file, os.readlink(spot[1], dir_fd=spot[0]))


def link_text(file: RunFile) -> bytes:
    """Return what a symbolic link says: a relative path within a place, so that it outlives a move of that."""
    if file.link:
        return file.link
    if lies_below(file.keeper, file.place):
        return os.path.relpath(file.keeper, os.path.dirname(file.path))
    return file.keeper


def is_our_link(file: RunFile, text: bytes) -> bool:
    """Tell whether a symbolic link in the place of a file says what ours does, wherever the drive is mounted now."""
    if text == link_text(file):
        return True
    if file.link or text.startswith(b"/"):
        return False
    # A journal of an earlier Fold Keep has the keeper's path as it was, perhaps below another folder.
    led_to = os.path.normpath(os.path.join(os.path.dirname(file.path), text))
    below = led_to[len(file.place.rstrip(b"/")) :]
    return lies_below(led_to, file.place) and file.keeper.endswith(below)


def _unlinked_second_name(file: RunFile, out: Spot) -> bool:
    """Unlink a name if it is one more of the keeper, and the keeper is at its path, now; tell whether it was."""
    try:
        with opened(os.path.dirname(file.keeper), FOLDER) as folder:
            unlink_twin(out, (folder, os.path.basename(file.keeper)))
    except OSError:
        return False
    return True


def _link(path: bytes, target: int, name: bytes) -> None:
    with opened(os.path.dirname(path), FOLDER) as folder:
        link(folder, os.path.basename(path), target, name)


def _is_file_at(path: bytes, facts: os.stat_result) -> bool:
    try:
        with opened(path) as keeper:
            return os.path.samestat(os.fstat(keeper), facts)
    except OSError:
        return False
