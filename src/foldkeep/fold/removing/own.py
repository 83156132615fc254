"""Taking away what Fold Keep made itself: links, probes, rests, copies that never got a name of somebody's."""

from foldkeep.model import PathBytes
from foldkeep.storage.local.changes import unlink
from foldkeep.storage.remote import RemoteStorage


def discard(name: bytes, folder: int) -> None:
    """Unlink a name in an open folder that stands for what we made; whoever calls has proved that, then and there."""
    unlink(name, folder)


def discard_afar(storage: RemoteStorage, path: PathBytes, etag: str = "") -> None:
    """Delete a file on a server that we made, if it has this entity tag; whoever calls has proved that."""
    storage.remove(path, etag)
