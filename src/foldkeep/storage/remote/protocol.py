"""What a server can be asked: the few operations that finding and folding in remote places stand on."""

from collections.abc import Iterable, Iterator
from typing import Protocol

from foldkeep.model import PathBytes
from foldkeep.model.remote import Part, Quota, RemoteFile


class RemoteStorage(Protocol):
    """One server, with the connections to it; safe to use from several threads.

    All raise OSError: FileNotFoundError, PermissionError, FileExistsError and NotADirectoryError as for local files,
    RemoteError for what is a server's own. What only asks is asked again where a connection was lost or the server
    is busy; what changes something never is.
    """

    def files(self, folder: PathBytes) -> list[RemoteFile]:
        """Return what lies directly in a folder."""
        ...

    def facts(self, path: PathBytes) -> RemoteFile | None:
        """Return what lies at a path; None if nothing does."""
        ...

    def part(self, path: PathBytes, start: int, size: int, etag: str = "") -> Part:
        """Read `size` bytes of a file from `start` on; NotTheFile if its entity tag is another than `etag`."""
        ...

    def parts(self, path: PathBytes, etag: str = "") -> Iterator[bytes]:
        """Yield the whole content of a file, bit by bit; NotTheFile if its entity tag is another than `etag`."""
        ...

    def quota(self, path: PathBytes) -> Quota | None:
        """Return the space at a path; None if the server does not tell."""
        ...

    def make_folder(self, path: PathBytes) -> None:
        """Make a folder; FileExistsError if something has its name."""
        ...

    def write_new(self, path: PathBytes, parts: Iterable[bytes], size: int) -> None:
        """Write a file that must not exist; FileExistsError if something has its name."""
        ...

    def move(self, path: PathBytes, new_path: PathBytes, etag: str = "") -> None:
        """Move a file or folder on the server; FileExistsError if the name is taken, NotTheFile if it is another."""
        ...

    def remove(self, path: PathBytes, etag: str = "") -> None:
        """Delete a file, or an empty folder; NotTheFile if it is another."""
        ...

    def close(self) -> None:
        """End the connections."""
        ...
