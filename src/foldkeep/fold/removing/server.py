"""The one way in which a content is deleted on a server: read, vouched for, and vouched for once more after."""

import errno
import os
import shutil
import tempfile
from contextlib import suppress
from dataclasses import dataclass
from functools import partial
from typing import IO, cast

from foldkeep.model import PathBytes
from foldkeep.storage.local.changes import flush
from foldkeep.storage.local.reading import NotSafe, Stamps
from foldkeep.storage.remote import NotTheFile, RemoteStamp, RemoteStorage, read_remote

from ..verify import Witness
from .disk import GONE

_IN_MEMORY, _PIECE = 4 * 1024 * 1024, 256 * 1024
_TRIES = 3
_LONGEST = 100


@dataclass(frozen=True, slots=True)
class Vouched:
    """A file on a server that was read whole, and what vouches for it.

    Attributes
    ----------
    witness
        None where the user says that nothing has to.
    content
        What was read, kept until it is sure that the witness outlived it.
    """

    path: PathBytes
    stamp: RemoteStamp
    digest: bytes
    witness: Witness | None
    content: IO[bytes]


def content_kept() -> IO[bytes]:
    """Return what the content of a file is kept in while that goes: in memory or, if it is large, a temporary file."""
    return cast(IO[bytes], tempfile.SpooledTemporaryFile(_IN_MEMORY))


def read_and_keep(storage: RemoteStorage, path: PathBytes, content: IO[bytes]) -> tuple[bytes, RemoteStamp]:
    """Read a file on a server, keep its content, and return its digest and stamp.

    Raises NotSafe if there is no room for that here, else what reading raises.
    """
    try:
        return read_remote(path, storage=storage, kept=content)
    except OSError as error:
        if error.errno != errno.ENOSPC:
            raise
        raise NotSafe(
            f"no room in {tempfile.gettempdir()} to keep its content while it goes; make room, or set TMPDIR"
        ) from error


def remove_vouched(storage: RemoteStorage, each: Vouched, stamps: Stamps) -> None:
    """Delete a file for good, if it is still what was read and its witness stands.

    An answer that was lost is looked into. Without an entity tag it is read once more right before. Where the witness
    went away meanwhile, the content is written back, so that it is never gone from both; to this machine, if the server
    does not take it.

    Raises
    ------
    NotSafe
        If it must stay, or had to be written back.
    OSError
        What the server says; NotTheFile if it is not what was read.
    """
    if each.witness is not None and not each.witness.stands(stamps):
        raise NotSafe(GONE)
    etag = each.stamp.etag or _read_again(storage, each).etag
    try:
        storage.remove(each.path, etag)
    except OSError:
        if storage.facts(each.path) is not None:
            raise
    if each.witness is not None and not each.witness.stands(stamps):
        _write_back(storage, each)
        raise NotSafe(GONE)


def _read_again(storage: RemoteStorage, each: Vouched) -> RemoteStamp:
    """Read a file without an entity tag once more, and return what it is told by now; NotTheFile if it is another."""
    digest, stamp = read_remote(each.path, storage=storage)
    if digest != each.digest or not each.stamp.may_be(stamp):
        raise NotTheFile
    return stamp


def _write_back(storage: RemoteStorage, each: Vouched) -> None:
    for _ in range(_TRIES):
        each.content.seek(0)
        with suppress(OSError):
            storage.write_new(each.path, iter(partial(each.content.read, _PIECE), b""), each.stamp.size)
        with suppress(OSError):
            if read_remote(each.path, storage=storage)[0] == each.digest:
                return
    raise NotSafe(f"{GONE}, and the server did not take it back: it is {_kept_here(each)!r} now; keep that")


def _kept_here(each: Vouched) -> str:
    """Write a content into the user's home, where it is found, and return its path; without a home, where the system
    keeps temporary files.
    """
    home = os.path.expanduser("~")
    name = "-" + os.fsdecode(each.path.rpartition(b"/")[2][-_LONGEST:])
    descriptor, path = tempfile.mkstemp(name, "foldkeep-kept-", home if os.path.isdir(home) else None)
    with open(descriptor, "wb") as file:
        each.content.seek(0)
        shutil.copyfileobj(each.content, file)
        file.flush()
        flush(descriptor)
    return path
