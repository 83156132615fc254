"""Moving one file on a server, where an answer may be lost, late or untrue; then it is looked at what lies where."""

import errno
import os

from foldkeep.model import PathBytes, RunFile
from foldkeep.model.names import path_beside
from foldkeep.model.remote import RemoteFile
from foldkeep.storage.local.reading import NotSafe, Stamps
from foldkeep.storage.remote import (
    RemoteStamp,
    RemoteStorage,
    ServerGone,
    TryLater,
    make_folder,
    read_remote,
)

from ..methods.method import KEEPER_CHANGED
from .fence import FENCE, is_fence
from .looking import RemoteReady
from .vault import RemoteVault

_MOST_TRIES = 100
_NOT_PUT_BACK = "could not be put back; it waits in the fold"


def fold_away(vault: RemoteVault, ready: RemoteReady, stamps: Stamps) -> RunFile:
    """Move a file into its slot, or to its target, if it and its witness are still what was read.

    Raises
    ------
    NotSafe
        If it is not done; it lies where it was, or beside that.
    OSError
        If it cannot be told now where it lies.
    """
    storage, file = vault.storage, ready.file
    there = vault.whereabouts(file)
    was_answered = _moved(vault, file, there, ready.stamp)
    if not _is_what_was_read(vault, there, ready, by_condition=was_answered and vault.honours_conditions):
        raise NotSafe("changed while it was folded" + put_back(storage, there, file.path))
    if ready.witness is not None and not ready.witness.stands(stamps):
        raise NotSafe(KEEPER_CHANGED + put_back(storage, there, file.path))
    return file


def _moved(vault: RemoteVault, file: RunFile, there: PathBytes, stamp: RemoteStamp) -> bool:
    """Move, and return only if it lies there: whether the server said that it did it. NotSafe if it stayed."""
    try:
        vault.storage.move(file.path, there, stamp.etag)
        return True
    except (ServerGone, TryLater) as error:
        if there != vault.slot(file):  # in a folder of the user's nothing of ours is put: it is looked up later
            if vault.storage.facts(there) is None:
                raise
            return False
        if _is_fenced_off(vault.storage, there):
            raise NotSafe(f"{error.strerror}; it stays where it is") from error
    except OSError as error:
        # Refused; or done, and asked a second time by something on the way, which found it gone.
        if vault.storage.facts(there) is None or vault.storage.facts(file.path) is not None:
            raise NotSafe(error.strerror or "the server refused") from error
    return False


def _is_fenced_off(storage: RemoteStorage, there: PathBytes) -> bool:
    """Keep a move that was not answered from being done later, unless it was done; tell whether that came about."""
    try:
        storage.write_new(there, [FENCE], len(FENCE))
    except FileExistsError:
        pass
    except OSError:
        if storage.facts(there) is None:
            raise
    return is_fence(storage, there, storage.facts(there))


def _is_what_was_read(vault: RemoteVault, there: PathBytes, ready: RemoteReady, *, by_condition: bool) -> bool:
    """Tell whether what was moved is the file that was read: by its entity tag, or since the server moved it on that
    condition, else by reading it once more.
    """
    facts = vault.storage.facts(there)
    if facts is None or facts.size != ready.stamp.size:
        return False
    if ready.stamp.etag and (facts.etag == ready.stamp.etag or by_condition):
        return True
    return not ready.file.digest or read_remote(there, storage=vault.storage)[0] == ready.file.digest


def put_back(storage: RemoteStorage, there: PathBytes, home: PathBytes) -> str:
    """Move a file back, or beside where it was if that name was taken; return words on that, or none."""
    for number in range(1, _MOST_TRIES):
        path = path_beside(home, number)
        try:
            storage.move(there, path)
        except FileExistsError:
            continue
        except OSError as error:
            if storage.facts(there) is not None or storage.facts(path) is None:
                raise OSError(errno.EIO, _NOT_PUT_BACK) from error
        got = os.fsdecode(path.rpartition(b"/")[2])
        return "" if number == 1 else f"; its name was taken, so it is {got!r} now"
    raise OSError(errno.EIO, _NOT_PUT_BACK)


def bring_home(vault: RemoteVault, file: RunFile, path: PathBytes) -> PathBytes:
    """Move a file out of its slot, or from its target, to a path; return where it lies then.

    That is another path where the server misreads the name.

    Raises
    ------
    FileExistsError
        If that is taken; another one is tried then.
    NotSafe
        If it is not there.
    OSError
        If it cannot be told whether that was done.
    """
    storage = vault.storage
    there = vault.whereabouts(file)
    facts = storage.facts(there)
    if facts is None or is_fence(storage, there, facts):
        raise NotSafe("gone from the fold; somebody took it away")
    make_folder(storage, path.rpartition(b"/")[0], vault.place)
    try:
        storage.move(there, path, facts.etag)
    except FileExistsError:
        if storage.facts(there) is not None:
            raise
    except OSError:
        if storage.facts(there) is not None or storage.facts(path) is None:
            raise
    return path if storage.facts(path) is not None else _found(storage, file, path, facts)


def _found(storage: RemoteStorage, file: RunFile, path: PathBytes, facts: RemoteFile) -> PathBytes:
    """Return where a file lies that was moved to a path, and is not there; OSError if it is not in that folder."""
    folder, _, name = path.rpartition(b"/")
    # An entity tag tells the file itself; content alone may be that of a copy beside it.
    for each in sorted(storage.files(folder), key=lambda each: each.etag != facts.etag):
        lies_at = folder + b"/" + each.name
        if each.size == facts.size and not each.is_folder and name[:1] == each.name[:1]:
            is_it = bool(facts.etag) and each.etag == facts.etag
            if is_it or (file.digest and read_remote(lies_at, storage=storage)[0] == file.digest):
                return lies_at
    raise OSError(errno.EIO, "the server moved it, and not to that name; look for it in its folder")
