"""Changing names in open folders so that nothing can be overwritten, and nothing is unlinked but what was meant.

Every change that Fold Keep makes to a name goes through descriptors of folders that were opened without
following a link, so that nobody can put another folder in the way between a look and a change.
"""

import errno
import os
import stat
import sys
from collections.abc import Callable
from contextlib import suppress
from functools import cache
from typing import cast
from unicodedata import normalize

from foldkeep.model import PathBytes
from foldkeep.model.names import names_to_try
from foldkeep.model.volumes import Way

from ..reading.opening import FOLDER, facts_of
from .flushing import flush

_RENAME_NOREPLACE = 1  # linux/fs.h
_RENAME_EXCL = 4  # sys/stdio.h of macOS
_NOT_SUPPORTED = (errno.EINVAL, errno.ENOSYS, errno.EOPNOTSUPP)
_NO_LINKS = (errno.EPERM, errno.EOPNOTSUPP, errno.ENOSYS, errno.EMLINK)
_LINKS_SHOWN: dict[int, bool] = {}
"""Whether two names of one file look like one file, by device, where that was seen."""

_CLAIM = os.O_RDWR | os.O_CREAT | os.O_EXCL | os.O_NOFOLLOW | os.O_CLOEXEC

_SAME_FILE = "it is not the file that it was a moment ago"


def move(
    source: int,
    name: bytes,
    target: int,
    new_name: bytes,
    before: os.stat_result | None = None,
    *,
    to_our_own: bool = False,
) -> None:
    """Rename a file or folder from one open folder into another of the same volume, never onto an existing name.

    Where the system has no such rename, a plain one serves for a name of our own. To any other name a file gets a hard
    link and then loses the old one. Where there are no hard links either (FAT, exFAT), it takes the place of an empty
    file made for it, as a folder takes that of an empty folder. Between the last look at that empty file and the rename
    somebody else can write into it, which is noticed and given a name, or save over it, which is not noticed.

    Parameters
    ----------
    before
        What the name stands for, where the caller has just looked.
    to_our_own
        Whether the new name is one that nobody else uses: then nothing that somebody saves over the old one meanwhile
        is taken for it, since there is no moment at which the file has both names.

    Raises
    ------
    OSError
        FileExistsError if the new name is taken; otherwise what the system says.
    """
    before = before or os.stat(name, dir_fd=source, follow_symlinks=False)
    try:
        try:
            _rename_without_replacing(source, name, target, new_name)
        except OSError as error:
            if error.errno not in _NOT_SUPPORTED:
                raise
            if to_our_own:
                _move_to_our_own(source, name, target, new_name)
            elif stat.S_ISDIR(before.st_mode):
                _move_folder(source, name, target, new_name)
            elif not _moved_by_link(source, name, target, new_name):
                _move_onto_claim(source, name, target, new_name)
    except OSError:
        # A server may have done it and lost the answer, so that what is asked again fails.
        there = facts_of(target, new_name)
        if there is None or not os.path.samestat(there, before) or facts_of(source, name) is not None:
            raise


def move_to_free(source: int, name: bytes, target: int, wanted: bytes) -> bytes:
    """Move as `move` does, to the wanted name or the first one beside it that is free, and return that."""
    for free in names_to_try(wanted):
        with suppress(FileExistsError):
            move(source, name, target, free)
            return free
    raise FileExistsError(errno.EEXIST, "no name is free for it there")


def move_onto_empty(source: int, name: bytes, target: int, new_name: bytes) -> None:
    """Rename a folder into another open folder, onto an empty one there; OSError if that is not empty."""
    os.rename(name, new_name, src_dir_fd=source, dst_dir_fd=target)


def link(source: int, name: bytes, target: int, new_name: bytes) -> None:
    """Give a file one more name, in another open folder of its volume; OSError if that is taken."""
    os.link(name, new_name, src_dir_fd=source, dst_dir_fd=target, follow_symlinks=False)


def unlink(name: PathBytes | str, folder: int | None = None) -> None:
    """Take a name of a file away, in an open folder or by its path.

    It looks at nothing: what goes here for good is what Fold Keep made itself, or what `fold.removing` has read.
    """
    os.unlink(name, dir_fd=folder)


def remove_folder(name: PathBytes | str, folder: int | None = None) -> None:
    """Remove an empty folder, in an open one or by its path; OSError if something is in it."""
    os.rmdir(name, dir_fd=folder)


def unlink_twin(spot: tuple[int, bytes], other: tuple[int, bytes]) -> None:
    """Unlink a name in an open folder that is a second name of the file at `other`, and only then.

    Raises
    ------
    OSError
        If it stands for something else; nothing is lost then.
    """
    folder, name = spot
    kept = facts_of(*other)
    facts = facts_of(folder, name)
    if facts is None or kept is None or not os.path.samestat(facts, kept) or _are_one_entry(spot, other):
        raise OSError(errno.EBUSY, _SAME_FILE)
    os.unlink(name, dir_fd=folder)


def _are_one_entry(spot: tuple[int, bytes], other: tuple[int, bytes]) -> bool:
    """Tell whether two names in open folders are, or may be, one: also where letter case or Unicode form differ."""
    if not os.path.samestat(os.fstat(spot[0]), os.fstat(other[0])):
        return False
    one, two = (normalize("NFC", os.fsdecode(name)).casefold() for _, name in (spot, other))
    return one == two


def _move_to_our_own(source: int, name: bytes, target: int, new_name: bytes) -> None:
    if facts_of(target, new_name) is not None:
        raise FileExistsError(errno.EEXIST, os.strerror(errno.EEXIST))
    os.rename(name, new_name, src_dir_fd=source, dst_dir_fd=target)


def _moved_by_link(source: int, name: bytes, target: int, new_name: bytes) -> bool:
    """Give a file its new name as a hard link, and take the old one away.

    False where there are no hard links, or where two names of one file are known to look like two files (sshfs numbers
    each name by itself): then nothing was changed. OSError if the new name is not the file any more.
    """
    device = os.fstat(source).st_dev
    if not _LINKS_SHOWN.get(device, True):
        return False
    try:
        os.link(name, new_name, src_dir_fd=source, dst_dir_fd=target, follow_symlinks=False)
    except FileExistsError:
        raise
    except OSError as error:
        with suppress(OSError):  # a server may have made it and lost the answer
            unlink_twin((target, new_name), (source, name))
        if error.errno in _NO_LINKS:
            return False
        raise
    try:
        unlink_twin((source, name), (target, new_name))
    except OSError:
        # What goes on after a move that failed takes the new name for free.
        with suppress(OSError):
            unlink_twin((target, new_name), (source, name))
        raise
    return True


def _move_onto_claim(source: int, name: bytes, target: int, new_name: bytes) -> None:
    """Move a file onto an empty one of our own, if that is still ours and empty; nothing else may be replaced."""
    if facts_of(target, new_name) is not None:
        raise FileExistsError(errno.EEXIST, os.strerror(errno.EEXIST))
    try:
        claim = os.open(new_name, _CLAIM, 0o600, dir_fd=target)
    except FileExistsError:
        raise
    except OSError:  # a server may have made it and lost the answer
        _withdraw(target, new_name)
        raise
    try:
        _rename_onto(claim, (source, name), (target, new_name))
        _rescue(claim, target, new_name)
    finally:
        os.close(claim)


def _rename_onto(claim: int, source: tuple[int, bytes], target: tuple[int, bytes]) -> None:
    """Rename a file onto the open claim that stands there; withdraw the claim where any call fails."""
    claimed = None
    try:
        claimed = os.fstat(claim)
        is_ours = is_claim(*target, claimed)
        if is_ours:
            os.rename(source[1], target[1], src_dir_fd=source[0], dst_dir_fd=target[0])
    except OSError:
        _withdraw(*target, claimed)
        raise
    if not is_ours:
        raise FileExistsError(errno.EEXIST, os.strerror(errno.EEXIST))


def _withdraw(target: int, new_name: bytes, claimed: os.stat_result | None = None) -> None:
    """Take a claim away again, if it is still one."""
    with suppress(OSError):
        if is_claim(target, new_name, claimed):
            os.unlink(new_name, dir_fd=target)


def is_claim(folder: int, name: bytes, claimed: os.stat_result | None = None) -> bool:
    """Tell whether a name in an open folder stands for an empty regular file, and for that one if it is told."""
    facts = facts_of(folder, name)
    if facts is None or not stat.S_ISREG(facts.st_mode) or facts.st_size:
        return False
    return claimed is None or os.path.samestat(facts, claimed)


def _rescue(claim: int, target: int, new_name: bytes) -> None:
    """Give what somebody wrote into a claim, when it was renamed onto, a name beside."""
    size = os.fstat(claim).st_size
    for free in names_to_try(new_name, 2) if size else ():
        with suppress(FileExistsError):
            saved = os.open(free, _CLAIM, 0o600, dir_fd=target)
            try:
                at = 0
                while data := os.pread(claim, 1024 * 1024, at):
                    at += os.write(saved, data)
                flush(saved)
            finally:
                os.close(saved)
            return


def way_of_moving(folder: int, probes: tuple[bytes, bytes]) -> Way:
    """Try out in an open folder of our own how names change there; `probes` are names of ours in it."""
    probe, other = probes
    for name in probes:  # of one that was killed
        with suppress(FileNotFoundError):
            os.unlink(name, dir_fd=folder)
    os.close(os.open(probe, _CLAIM, 0o600, dir_fd=folder))
    try:
        try:
            _rename_without_replacing(folder, probe, folder, other)
            return Way.RENAME
        except OSError as error:
            if error.errno not in _NOT_SUPPORTED:
                raise
        try:
            os.link(probe, other, src_dir_fd=folder, dst_dir_fd=folder)
        except OSError as error:
            return Way.CLAIM if error.errno in _NO_LINKS else Way.LINK
        facts, other_facts = facts_of(folder, probe), facts_of(folder, other)
        is_shown = bool(facts and other_facts and os.path.samestat(facts, other_facts))
        _LINKS_SHOWN[os.fstat(folder).st_dev] = is_shown
        return Way.LINK if is_shown else Way.CLAIM
    finally:
        for name in probes:
            with suppress(FileNotFoundError):
                os.unlink(name, dir_fd=folder)


def _move_folder(source: int, name: bytes, target: int, new_name: bytes) -> None:
    """Move a folder onto an empty one of our own, which a rename may replace and nothing else may."""
    if facts_of(target, new_name) is not None:
        raise FileExistsError(errno.EEXIST, os.strerror(errno.EEXIST))
    try:
        os.mkdir(new_name, 0o700, dir_fd=target)
        claimed = os.stat(new_name, dir_fd=target, follow_symlinks=False)
    except FileExistsError:
        raise
    except OSError:  # a server may have made it and lost the answer; what is not empty is refused by the system
        with suppress(OSError):
            os.rmdir(new_name, dir_fd=target)
        raise
    try:
        now = os.stat(new_name, dir_fd=target, follow_symlinks=False)
        if not os.path.samestat(now, claimed):
            raise FileExistsError(errno.EEXIST, os.strerror(errno.EEXIST))
        # What is not empty by now is refused by the system.
        os.rename(name, new_name, src_dir_fd=source, dst_dir_fd=target)
    except OSError as error:
        now_there = facts_of(target, new_name)
        if now_there and os.path.samestat(now_there, claimed):
            with suppress(OSError):
                os.rmdir(new_name, dir_fd=target)
        if error.errno == errno.ENOTEMPTY:
            raise FileExistsError(errno.EEXIST, os.strerror(errno.EEXIST)) from error
        raise


def is_empty_folder(folder: int, name: bytes, meant: os.stat_result) -> bool:
    """Tell whether a name in an open folder is the folder that is meant, and nothing is in it."""
    try:
        descriptor = os.open(name, FOLDER, dir_fd=folder)
    except OSError:
        return False
    try:
        return os.path.samestat(os.fstat(descriptor), meant) and not os.listdir(descriptor)
    finally:
        os.close(descriptor)


def _rename_without_replacing(source: int, name: bytes, target: int, new_name: bytes) -> None:
    found = _libc_rename()
    if found is None:
        raise OSError(errno.ENOSYS, os.strerror(errno.ENOSYS))
    function, flag = found
    if function(source, name, target, new_name, flag) != 0:
        import ctypes

        code = ctypes.get_errno()
        raise OSError(code, os.strerror(code))


@cache
def _libc_rename() -> tuple[Callable[..., int], int] | None:
    """Return the system's rename that refuses to replace, with its flag; None where there is none."""
    import ctypes

    word, flag = ("renameatx_np", _RENAME_EXCL) if sys.platform == "darwin" else ("renameat2", _RENAME_NOREPLACE)
    function = getattr(ctypes.CDLL(None, use_errno=True), word, None)
    if function is None:
        return None
    function.argtypes = (ctypes.c_int, ctypes.c_char_p, ctypes.c_int, ctypes.c_char_p, ctypes.c_uint)
    return cast(Callable[..., int], function), flag
