"""The connections to servers: one a server, opened when it is first asked for."""

import threading
from collections.abc import Iterator
from contextlib import contextmanager

from foldkeep.model import PathBytes, UnusableInput, visible
from foldkeep.model.extras import need
from foldkeep.model.remote import is_this_machine, scheme_of, server_of

from .credentials import Credentials
from .errors import RemoteError
from .patience import Patience, Throttle
from .protocol import RemoteStorage


class Connections:
    """Opens and keeps connections.

    Parameters
    ----------
    rate
        Bytes a second that are moved at most, over all connections; no limit when None.
    unencrypted
        Servers, as `server_of` returns them, that may be asked over ``http://``, where anybody on the way can read
        along. This machine may always be.
    """

    def __init__(
        self,
        credentials: Credentials | None = None,
        *,
        patience: Patience | None = None,
        rate: float | None = None,
        unencrypted: frozenset[bytes] = frozenset(),
    ) -> None:
        self.credentials = credentials or Credentials()
        self.patience = patience or Patience()
        self.throttle = Throttle(rate)
        self.unencrypted = unencrypted
        self._open: dict[bytes, RemoteStorage] = {}
        self._lock = threading.Lock()

    def of(self, path: PathBytes) -> RemoteStorage:
        """Return the storage of the server of a path.

        Raises UnusableInput if it may not be asked as it is named.
        """
        server = server_of(path)
        with self._lock:
            if server not in self._open:
                self._open[server] = self._opened(path)
            return self._open[server]

    def _opened(self, path: PathBytes) -> RemoteStorage:
        need("remote")
        from ..dav import DavStorage
        from ..sftp import SftpStorage

        if scheme_of(path) == "sftp":
            return SftpStorage(path, self.credentials, self.patience, self.throttle)
        if scheme_of(path) == "http" and not is_this_machine(path) and server_of(path) not in self.unencrypted:
            raise UnusableInput(
                f"{visible(server_of(path))} would send everything, passwords too, for anybody on the way to read",
                "use https://; or, if you trust the way, scan it with --unencrypted",
            )
        return DavStorage(path, self.credentials, self.patience, self.throttle)

    def close(self) -> None:
        """End all connections."""
        with self._lock:
            storages, self._open = list(self._open.values()), {}
        for storage in storages:
            storage.close()


_current: list[Connections] = []


@contextmanager
def connections(opened: Connections) -> Iterator[Connections]:
    """Have remote places reached through these connections in the block, and end them after it."""
    _current.append(opened)
    try:
        yield opened
    finally:
        _current.remove(opened)
        opened.close()


def remote_storage(path: PathBytes) -> RemoteStorage:
    """Return the storage of the server of a remote path; RemoteError where no connections are to be made."""
    if not _current:
        raise RemoteError("lies on a server, which is not asked here")
    return _current[-1].of(path)
