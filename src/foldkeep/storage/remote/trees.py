"""Whole folders, or single files, brought to a server and fetched from it."""

import os
from collections.abc import Callable, Iterator

from foldkeep.model import PathBytes

from ..local.changes import Folders, write_content
from ..local.reading import digest_of
from .contents import RemoteStamp, read_remote
from .errors import RemoteError
from .own_files import make_folder
from .protocol import RemoteStorage
from .uploading import upload

Told = Callable[[int], None]
"""Is told of bytes that were moved."""

_DEEPEST = 128


def fetch(storage: RemoteStorage, path: PathBytes, folder: PathBytes, told: Told) -> dict[PathBytes, RemoteStamp]:
    """Write what lies at a path on a server, a file or a folder with all in it, into a new folder of this machine.

    Returns
    -------
    dict
        What each file was told by when it was fetched, by its path on the server.
    """
    found: dict[PathBytes, RemoteStamp] = {}
    with Folders(folder) as folders:
        for each, stamp in _files_below(storage, path):
            spot = folders.of(folder + b"/" + os.path.basename(path) + each[len(path) :], make=True)
            write_content(_told(storage.parts(each, stamp.etag), told), None, *spot)
            found[each] = stamp
    return found


def _told(parts: Iterator[bytes], told: Told) -> Iterator[bytes]:
    for part in parts:
        told(len(part))
        yield part


def _files_below(storage: RemoteStorage, path: PathBytes) -> Iterator[tuple[PathBytes, RemoteStamp]]:
    facts = storage.facts(path)
    if facts is None:
        raise FileNotFoundError(2, "not there")
    if not facts.is_folder:
        yield path, RemoteStamp.of(facts)
        return
    waiting = [path]
    while waiting:
        folder = waiting.pop()
        if folder.count(b"/") - path.count(b"/") > _DEEPEST:
            raise RemoteError("lies too deep")
        for each in storage.files(folder):
            if each.is_folder:
                waiting.append(folder + b"/" + each.name)
            else:
                yield folder + b"/" + each.name, RemoteStamp.of(each)


def stamps_below(storage: RemoteStorage, path: PathBytes) -> dict[PathBytes, RemoteStamp]:
    """Return what each file at and below a path on a server is told by now."""
    return dict(_files_below(storage, path))


def bring(storage: RemoteStorage, source: PathBytes, path: PathBytes, told: Told) -> None:
    """Write a file or folder of this machine to a path on a server, and read each file back.

    What is there already with the same content stays; so a try that was interrupted goes on. A file with another
    content is in the way only if it is as large: a smaller one was cut off, and is written anew.

    Raises OSError if something else is in the way or cannot be written, NotSafe if a file did not arrive whole.
    """
    if os.path.isdir(source):
        make_folder(storage, path)
        for entry in sorted(os.scandir(source), key=lambda entry: entry.name):
            bring(storage, entry.path, path + b"/" + entry.name, told)
        return
    descriptor = os.open(source, os.O_RDONLY | os.O_NOFOLLOW | os.O_CLOEXEC)
    try:
        size = os.fstat(descriptor).st_size
        there = storage.facts(path)
        if there is not None and there.size < size:
            storage.remove(path, there.etag)
            there = None
        if there is None:
            upload(storage, descriptor, path)
        elif there.size != size or read_remote(path, storage=storage)[0] != _digest_of(descriptor, size):
            raise FileExistsError(17, "something else has its name")
        told(size)
    finally:
        os.close(descriptor)


def _digest_of(descriptor: int, size: int) -> bytes:
    os.lseek(descriptor, 0, os.SEEK_SET)
    return digest_of(descriptor, size)[0]
