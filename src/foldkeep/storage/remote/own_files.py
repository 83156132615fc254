"""Small files and folders of our own on a server: written once, read back, taken away."""

from foldkeep.model import PathBytes
from foldkeep.model.work import reason_of

from .errors import RemoteError
from .protocol import RemoteStorage

_LARGEST = 16 * 1024 * 1024


def make_folder(storage: RemoteStorage, path: PathBytes, top: PathBytes | None = None) -> None:
    """Make a folder on a server, if there is none; with `top`, a folder above it, also those between them."""
    if top is None:
        _make_one(storage, path)
        return
    missing = []
    while path != top and storage.facts(path) is None:
        missing.append(path)
        path = path.rpartition(b"/")[0]
    for each in reversed(missing):
        _make_one(storage, each)


def _make_one(storage: RemoteStorage, path: PathBytes) -> None:
    try:
        storage.make_folder(path)
    except FileExistsError:
        return
    except OSError:
        facts = storage.facts(path)  # made, though the answer was lost; or another made it
        if facts is None or not facts.is_folder:
            raise


def remove_empty(storage: RemoteStorage, path: PathBytes) -> None:
    """Delete a folder of our own; RemoteError if something lies in it."""
    if storage.files(path):
        raise RemoteError("not empty")
    storage.remove(path)


def whole(storage: RemoteStorage, path: PathBytes) -> bytes:
    """Return the content of a small file; RemoteError if it is larger than any of ours."""
    text = b""
    for part in storage.parts(path):
        text += part
        if len(text) > _LARGEST:
            raise RemoteError("larger than any file of ours")
    return text


def write_surely(storage: RemoteStorage, path: PathBytes, text: bytes) -> None:
    """Write a new small file of our own and read it back, whatever became of the answer.

    Raises OSError if it is not there as it was written, FileExistsError if something else has its name.
    """
    try:
        storage.write_new(path, [text], len(text))
    except OSError as error:
        if storage.facts(path) is None:
            raise
        if whole(storage, path) != text:
            raise FileExistsError(17, f"its name is taken ({reason_of(error)})") from error
        return
    if whole(storage, path) != text:
        raise RemoteError("the server did not keep what it was given")
