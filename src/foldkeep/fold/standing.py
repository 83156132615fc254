"""Stand-ins: what takes the name of a folded spare, a link to its keeper or a clone of it."""

import os
import stat

from foldkeep.model import Method, RunFile, UnusableInput, lies_below, reason_of, visible
from foldkeep.scan import FILE, FOLDER, open_path

from .copying import clone_file, has_digest, same_content
from .identity import NotSafe
from .moving import facts_of
from .vault import COMING_IN, COMING_OUT, PROBES, Vault
from .verify import Keepers, Verified

WORDS = {Method.HARD_LINK: "hard links", Method.SYMLINK: "symbolic links", Method.CLONE: "clones"}


def check_volume(method: Method, place: bytes, folder: int) -> None:
    """Try out a method in an open folder of our own on the volume of a place; UnusableInput if it cannot be had."""
    probe, other = PROBES
    try:
        try:
            descriptor = os.open(probe, os.O_RDWR | os.O_CREAT | os.O_EXCL | os.O_CLOEXEC, 0o600, dir_fd=folder)
            try:
                os.write(descriptor, b"kite" * 1024)
                if method is Method.CLONE:
                    clone_file(descriptor, descriptor, folder, other)
                elif method is Method.HARD_LINK:
                    os.link(probe, other, src_dir_fd=folder, dst_dir_fd=folder)
                else:
                    os.symlink(probe, other, dir_fd=folder)
            finally:
                os.close(descriptor)
        finally:
            for name in (probe, other):
                if facts_of(folder, name) is not None:
                    os.unlink(name, dir_fd=folder)
    except OSError as error:
        raise UnusableInput(
            f"the volume of {visible(place)} cannot make {WORDS[method]}: {reason_of(error)}",
            "choose another --method; nothing was changed",
        ) from error


def make_stand_in(vault: Vault, file: RunFile, spare: int, verified: Verified, keepers: Keepers) -> None:
    """Make what is to take the name of a spare; it lies in the vault, see `coming_in`.

    Parameters
    ----------
    spare
        Descriptor of the spare; a clone gets its times and mode.

    Raises
    ------
    NotSafe
        If the keeper is no longer the file that was compared.
    OSError
        Where the volume cannot make it.
    """
    slot = coming_in(file)
    try:
        if file.method is Method.SYMLINK:
            os.symlink(_link_text(file), slot, dir_fd=vault.files)
        elif file.method is Method.HARD_LINK:
            with keepers.linking(verified) as keeper:
                _link(verified.keeper_path, vault.files, slot)
                made = facts_of(vault.files, slot)
                if made is None or not os.path.samestat(made, keeper):
                    raise NotSafe("its keeper changed or went away")
        else:
            _clone(verified.keeper_path, spare, vault.files, slot)
            if not keepers.stands(verified):
                raise NotSafe("its keeper changed or went away")
    except NotSafe:
        if facts_of(vault.files, slot) is not None:
            os.unlink(slot, dir_fd=vault.files)
        raise


def _clone(path: bytes, spare: int, target: int, name: bytes) -> None:
    keeper = open_path(path, FILE)
    try:
        clone_file(keeper, spare, target, name)
    finally:
        os.close(keeper)


def _link(path: bytes, target: int, name: bytes) -> None:
    folder = open_path(os.path.dirname(path), FOLDER)
    try:
        os.link(os.path.basename(path), name, src_dir_fd=folder, dst_dir_fd=target, follow_symlinks=False)
    finally:
        os.close(folder)


def is_stand_in(file: RunFile, spot: tuple[int, bytes], original: tuple[int, bytes] | None) -> bool:
    """Tell whether a name in an open folder is the stand-in that we made for a file, or as good as it.

    `original` is where the file itself lies, if it does, so what has its bytes may go.
    """
    folder, name = spot
    facts = facts_of(folder, name)
    if facts is None:
        return False
    if original is None and not file.method.writes:
        return False
    if file.method is Method.SYMLINK:
        return stat.S_ISLNK(facts.st_mode) and os.readlink(name, dir_fd=folder) == _link_text(file)
    if file.method is Method.HARD_LINK and _is_inode(file.keeper, facts):
        return True
    if file.method.writes:
        return has_digest(folder, name, file.words)
    return original is not None and same_content(folder, name, *original)


def _is_inode(path: bytes, facts: os.stat_result) -> bool:
    try:
        keeper = open_path(path, FILE)
    except OSError:
        return False
    try:
        return os.path.samestat(os.fstat(keeper), facts)
    finally:
        os.close(keeper)


def coming_in(file: RunFile) -> bytes:
    """Return the name in the vault of what is to take a file's name outside."""
    return COMING_IN + os.fsencode(file.slot)


def coming_out(file: RunFile) -> bytes:
    """Return the name in the vault of what had a file's name outside."""
    return COMING_OUT + os.fsencode(file.slot)


def _link_text(file: RunFile) -> bytes:
    """Return what a symbolic link says: a relative path within a place, so that it outlives a move of that."""
    if lies_below(file.keeper, file.place):
        return os.path.relpath(file.keeper, os.path.dirname(file.path))
    return file.keeper
