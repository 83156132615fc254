"""What the storages of remote places share: the protocol, errors, credentials, patience, and a limit of rate."""

from typing import TYPE_CHECKING

from foldkeep.model.faces import names_of

if TYPE_CHECKING:
    from .connecting import Connections, connections, remote_storage
    from .contents import RemoteStamp, read_remote, remote_stands, stated_by_server
    from .credentials import Credentials, Login
    from .errors import NotAllowed, NotTheFile, RemoteError, ServerGone, TryLater
    from .locks import hold_remote_places
    from .own_files import make_folder, remove_empty, whole, write_surely
    from .protocol import RemoteStorage
    from .trees import bring, fetch, stamps_below
    from .uploading import take_back, upload

__all__ = [
    "RemoteStorage",
    "Connections",
    "connections",
    "remote_storage",
    "hold_remote_places",
    "make_folder",
    "remove_empty",
    "whole",
    "write_surely",
    "upload",
    "take_back",
    "bring",
    "fetch",
    "stamps_below",
    "stated_by_server",
    "RemoteStamp",
    "read_remote",
    "remote_stands",
    "Credentials",
    "Login",
    "RemoteError",
    "ServerGone",
    "TryLater",
    "NotTheFile",
    "NotAllowed",
]

__getattr__ = names_of(__name__, __file__)
