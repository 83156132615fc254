"""Where files lie: two protocols, and one sub-room a storage.

`Storage` goes by open folders, since on the computer's own file systems a path may lead elsewhere between a look and a
change. `remote.RemoteStorage` goes by paths and entity tags, the only hold that a server gives. What asks and what
changes differ in that hold; what is known about files, volumes and sides is the same (`model`).
"""

from foldkeep.model import PathBytes, visible
from foldkeep.model.remote import is_remote

from . import local
from .holders import moment
from .protocol import Storage

_LOCAL: Storage = local


def storage_at(path: PathBytes) -> Storage:
    """Return the storage of the file systems that a path lies in; ValueError for a server's URL."""
    if is_remote(path):
        raise ValueError(f"no path of this computer's: {visible(path)}")
    return _LOCAL


__all__ = ["Storage", "moment", "storage_at"]
