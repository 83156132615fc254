"""Where files lie: one protocol, and one sub-room a storage. So far there is one, the computer's own file systems."""

from foldkeep.model import PathBytes

from . import local
from .protocol import Storage

_LOCAL: Storage = local


def storage_at(path: PathBytes) -> Storage:  # noqa: ARG001 - a remote place will be told by its scheme
    """Return the storage that a path lies in."""
    return _LOCAL


__all__ = ["Storage", "storage_at"]
