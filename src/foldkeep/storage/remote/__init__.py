"""What the storages of remote places share: the protocol, errors, credentials, patience, and a limit of rate."""

from .connections import Connections, connections, remote_storage
from .credentials import Credentials, Login
from .errors import NotAllowed, NotTheFile, RemoteError, ServerGone, TryLater
from .patience import Patience, Throttle
from .protocol import RemoteStorage

__all__ = [
    "RemoteStorage",
    "Connections",
    "connections",
    "remote_storage",
    "Credentials",
    "Login",
    "Patience",
    "Throttle",
    "RemoteError",
    "ServerGone",
    "TryLater",
    "NotTheFile",
    "NotAllowed",
]
