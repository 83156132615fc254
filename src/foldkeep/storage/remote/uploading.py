"""Writing a file of this machine to a server, and reading it back."""

import os
import time
from collections.abc import Iterator
from contextlib import suppress

from blake3 import blake3

from foldkeep.model import PathBytes

from ..local.reading import NotSafe, Stamp
from .contents import read_remote
from .protocol import RemoteStorage

_PIECE = 256 * 1024
_WAITS = (0.0, 0.25, 0.5, 1.0)  # seconds


def upload(storage: RemoteStorage, descriptor: int, path: PathBytes) -> bytes:
    """Write an open file, from its beginning, to a path that must not exist, read it back, and return its digest.

    Raises
    ------
    NotSafe
        If it changed meanwhile, or did not arrive whole.
    OSError
        FileExistsError if the path is taken; what the server says.
    """
    hasher = blake3()
    before = os.fstat(descriptor)
    os.lseek(descriptor, 0, os.SEEK_SET)

    def pieces() -> Iterator[bytes]:
        left = before.st_size
        while piece := os.read(descriptor, min(_PIECE, left)):
            hasher.update(piece)
            left -= len(piece)
            yield piece

    try:
        _sent(storage, path, pieces(), before.st_size)
        if Stamp.of(os.fstat(descriptor)) != Stamp.of(before):
            raise NotSafe("changed while it was copied")
        there, stamp = read_remote(path, storage=storage)
        if stamp.size != before.st_size or there != hasher.digest():
            raise NotSafe("the server did not keep what it was given")
    except FileExistsError:
        raise
    except (NotSafe, OSError):
        take_back(storage, path, hasher.digest(), before.st_size)
        raise
    return hasher.digest()


def _sent(storage: RemoteStorage, path: PathBytes, pieces: Iterator[bytes], size: int) -> None:
    try:
        storage.write_new(path, pieces, size)
    except FileExistsError:
        raise
    except OSError:
        facts = storage.facts(path)  # it may have arrived, though the answer was lost
        if facts is None or facts.size != size:
            raise


def take_back(storage: RemoteStorage, path: PathBytes, digest: bytes, size: int = 0) -> None:
    """Take away what has the content that was sent, or, of an upload that was cut, is smaller than its `size`.

    What somebody made of it meanwhile stays. A server that still writes what was cut is waited for.
    """
    for seconds in _WAITS:
        time.sleep(seconds)
        with suppress(OSError):
            facts = storage.facts(path)
            if facts is None:
                return
            if facts.size < size or read_remote(path, storage=storage)[0] == digest:
                storage.remove(path, facts.etag)
            return
