"""A server's folders and files over SFTP."""

import errno
from collections.abc import Callable, Coroutine, Iterable, Iterator
from stat import S_ISDIR, S_ISREG
from typing import TYPE_CHECKING, Any, TypeVar

from foldkeep.model import PathBytes
from foldkeep.model.remote import Part, Quota, RemoteFile, is_step, path_on_server

from ..remote.credentials import Credentials
from ..remote.errors import RemoteError, ServerGone
from ..remote.patience import Patience, Throttle
from .session import Session

if TYPE_CHECKING:
    import asyncssh

_PART = 1024 * 1024
_MOST_LISTED = 2_000_000
_LARGEST = 2**63 - 1
_Answer = TypeVar("_Answer")


class SftpStorage:
    """One SSH server: see `RemoteStorage`. It knows no entity tags, so a file is told by its size and time."""

    def __init__(self, path: PathBytes, credentials: Credentials, patience: Patience, throttle: Throttle) -> None:
        self._session = Session(path, credentials, patience)
        self._throttle = throttle

    def close(self) -> None:
        self._session.close()

    def _asked(self, work: "Callable[[asyncssh.SFTPClient], Coroutine[Any, Any, _Answer]]") -> _Answer:
        """Ask, again where the connection was lost."""
        return self._session.patience.asked(lambda: self._done(work))

    def _done(self, work: "Callable[[asyncssh.SFTPClient], Coroutine[Any, Any, _Answer]]") -> _Answer:
        """Do something once."""

        async def run() -> _Answer:
            import asyncssh

            try:
                return await work(await self._session.sftp())
            except asyncssh.SFTPError as error:
                if isinstance(error, (asyncssh.SFTPConnectionLost, asyncssh.SFTPNoConnection)):
                    self._session.forget()
                    raise ServerGone("the connection to the server was lost") from error
                raise _refusal(error) from error
            except asyncssh.Error as error:
                self._session.forget()
                raise ServerGone("the connection to the server was lost") from error

        return self._session.run(run())

    def files(self, folder: PathBytes) -> list[RemoteFile]:
        async def ask(sftp: "asyncssh.SFTPClient") -> list[RemoteFile]:
            found = []
            async for each in sftp.scandir(path_on_server(folder)):
                name = each.filename if isinstance(each.filename, bytes) else each.filename.encode()
                if name in (b".", b".."):
                    continue
                if not is_step(name):
                    raise RemoteError("the server lists what does not lie there")
                if (file := _file(name, each.attrs)) is not None:
                    found.append(file)
                if len(found) > _MOST_LISTED:
                    raise RemoteError("it lists more than two million names in one folder")
            return found

        return self._asked(ask)

    def facts(self, path: PathBytes) -> RemoteFile | None:
        async def ask(sftp: "asyncssh.SFTPClient") -> RemoteFile | None:
            return _file(path_on_server(path).rpartition(b"/")[2], await sftp.lstat(path_on_server(path)))

        try:
            return self._asked(ask)
        except FileNotFoundError:
            return None

    def part(self, path: PathBytes, start: int, size: int, etag: str = "") -> Part:  # noqa: ARG002
        async def ask(sftp: "asyncssh.SFTPClient") -> bytes:
            async with sftp.open(path_on_server(path), "rb") as file:
                data: bytes = await file.read(size, start)
                return data

        data = self._asked(ask)
        if len(data) > size:
            raise RemoteError("the server sends more than there can be")
        self._throttle.passed(len(data))
        return Part(data)

    def parts(self, path: PathBytes, etag: str = "") -> Iterator[bytes]:  # noqa: ARG002
        at = 0
        while part := self.part(path, at, _PART).data:
            yield part
            at += len(part)

    def quota(self, path: PathBytes) -> Quota | None:
        async def ask(sftp: "asyncssh.SFTPClient") -> Quota:
            facts = await sftp.statvfs(path_on_server(path))
            return Quota((facts.blocks - facts.bfree) * facts.frsize, facts.bavail * facts.frsize)

        try:
            return self._asked(ask)
        except (RemoteError, FileNotFoundError) as error:
            if isinstance(error, ServerGone):
                raise
            return None

    def make_folder(self, path: PathBytes) -> None:
        self._done(lambda sftp: _make_folder(sftp, path_on_server(path)))

    def write_new(self, path: PathBytes, parts: Iterable[bytes], size: int) -> None:  # noqa: ARG002
        name = path_on_server(path)
        handle = self._done(lambda sftp: _open_new(sftp, name))
        at = 0
        try:
            for part in parts:
                self._done(lambda _, part=part, at=at: handle.write(part, at))  # type: ignore[misc]
                self._throttle.passed(len(part))
                at += len(part)
            self._done(lambda _: _flush(handle))
        finally:
            self._done(lambda _: handle.close())

    def move(self, path: PathBytes, new_path: PathBytes, etag: str = "") -> None:  # noqa: ARG002
        old, new = path_on_server(path), path_on_server(new_path)
        self._done(lambda sftp: _move(sftp, old, new))

    def remove(self, path: PathBytes, etag: str = "") -> None:  # noqa: ARG002
        self._done(lambda sftp: _remove(sftp, path_on_server(path)))


def _file(name: bytes, attrs: Any) -> RemoteFile | None:
    """Return a file or folder from its attributes; None for what is neither, such as a link."""
    mode = attrs.permissions or 0
    if S_ISDIR(mode):
        return RemoteFile(name, is_folder=True, modified_ns=_ns(attrs))
    if not S_ISREG(mode):
        return None
    if attrs.size is None or not 0 <= attrs.size <= _LARGEST:
        raise RemoteError("it tells no size of a file")
    return RemoteFile(name, attrs.size, _ns(attrs))


def _ns(attrs: Any) -> int:
    return int(attrs.mtime or 0) * 1_000_000_000


async def _open_new(sftp: "asyncssh.SFTPClient", name: bytes) -> "asyncssh.SFTPClientFile":
    import asyncssh

    try:
        return await sftp.open(name, "xb")
    except asyncssh.SFTPFailure as error:
        raise await _taken(sftp, name, error) from error


async def _make_folder(sftp: "asyncssh.SFTPClient", name: bytes) -> None:
    import asyncssh

    try:
        await sftp.mkdir(name)
    except asyncssh.SFTPFailure as error:
        raise await _taken(sftp, name, error) from error


async def _move(sftp: "asyncssh.SFTPClient", old: bytes, new: bytes) -> None:
    """Rename as version 3 does, which refuses a name that is taken."""
    import asyncssh

    try:
        await sftp.rename(old, new)
    except asyncssh.SFTPFailure as error:
        raise await _taken(sftp, new, error) from error


async def _remove(sftp: "asyncssh.SFTPClient", name: bytes) -> None:
    facts = await sftp.lstat(name)
    await (sftp.rmdir(name) if S_ISDIR(facts.permissions or 0) else sftp.remove(name))


async def _flush(handle: "asyncssh.SFTPClientFile") -> None:
    """Have a server bring a file to its disk, if it can be asked to."""
    import asyncssh

    try:
        await handle.fsync()
    except asyncssh.SFTPOpUnsupported:
        return


async def _taken(sftp: "asyncssh.SFTPClient", name: bytes, error: Exception) -> OSError:
    """Return what a failure without a reason means: that the name is taken, or that the server refused."""
    if await sftp.lexists(name):
        return FileExistsError(errno.EEXIST, "its name is taken")
    return RemoteError(f"the server refused: {error}")


def _refusal(error: Exception) -> OSError:
    import asyncssh

    if isinstance(error, asyncssh.SFTPNoSuchFile):
        return FileNotFoundError(errno.ENOENT, "not there")
    if isinstance(error, asyncssh.SFTPPermissionDenied):
        return PermissionError(errno.EACCES, "the server does not allow it")
    return RemoteError(f"the server refused: {str(error) or type(error).__name__}")
