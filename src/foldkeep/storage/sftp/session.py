"""One SSH connection with SFTP on it, kept in a thread with a loop of its own, and made anew where it was lost."""

import asyncio
import threading
from collections.abc import Coroutine
from contextlib import suppress
from typing import TYPE_CHECKING, Any, TypeVar

from foldkeep.model import PathBytes
from foldkeep.model.remote import host_of

from ..remote.credentials import Credentials
from ..remote.errors import NotAllowed, RemoteError, ServerGone
from ..remote.patience import Patience

if TYPE_CHECKING:
    import asyncssh

_Answer = TypeVar("_Answer")

_CLOSING_SECONDS = 2.0
_LONGEST_SECONDS = 300.0
"""A server that is alive, which is asked all the time, may take so long for one thing."""


class Session:
    """Runs what is asked of a server, from any thread, over one connection."""

    def __init__(self, path: PathBytes, credentials: Credentials, patience: Patience) -> None:
        self._path = path
        self._credentials = credentials
        self.patience = patience
        self._loop = asyncio.new_event_loop()
        self._thread = threading.Thread(target=self._loop.run_forever, name="sftp", daemon=True)
        self._thread.start()
        self._connecting = asyncio.Lock()
        self._connection: asyncssh.SSHClientConnection | None = None
        self._sftp: asyncssh.SFTPClient | None = None

    def run(self, work: Coroutine[Any, Any, _Answer]) -> _Answer:
        """Run a coroutine in the thread of the connection and return what it returns."""
        future = asyncio.run_coroutine_threadsafe(asyncio.wait_for(work, _LONGEST_SECONDS), self._loop)
        try:
            return future.result()
        except TimeoutError as error:
            raise ServerGone("the server does not answer") from error
        except BaseException:
            future.cancel()
            raise

    async def sftp(self) -> "asyncssh.SFTPClient":
        """Return the open connection."""
        async with self._connecting:
            if self._sftp is None:
                self._connection = await self._connected()
                self._sftp = await self._connection.start_sftp_client()
            return self._sftp

    def forget(self) -> None:
        """Have the connection made anew when it is next wanted."""
        connection, self._connection, self._sftp = self._connection, None, None
        if connection is not None:
            with suppress(Exception):  # it is lost already
                connection.abort()

    async def _connected(self) -> "asyncssh.SSHClientConnection":
        import asyncssh

        user, host, port = host_of(self._path)
        seconds = self.patience.answer_seconds
        wanted: dict[str, Any] = {"username": user} if user else {}
        try:
            return await asyncssh.connect(
                host, port, client_factory=lambda: _client(self._credentials, self._path), login_timeout=seconds,
                connect_timeout=seconds, keepalive_interval=seconds / 2, keepalive_count_max=2, **wanted,
            )  # fmt: skip
        except asyncssh.HostKeyNotVerifiable as error:
            raise NotAllowed(await _unknown_key(host, port)) from error
        except asyncssh.PermissionDenied as error:
            raise NotAllowed("the server accepts no key of ours, and no password") from error
        except (asyncssh.Error, OSError) as error:
            raise ServerGone("the server cannot be reached") from error

    def close(self) -> None:
        """End the connection and its thread."""
        with suppress(Exception):  # nobody waits for it
            asyncio.run_coroutine_threadsafe(self._closed(), self._loop).result(_CLOSING_SECONDS)
        self._loop.call_soon_threadsafe(self._loop.stop)
        self._thread.join(_CLOSING_SECONDS)
        if not self._thread.is_alive():
            self._loop.close()

    async def _closed(self) -> None:
        connection = self._connection
        self.forget()
        if connection is not None:
            await connection.wait_closed()
        others = asyncio.all_tasks() - {asyncio.current_task()}
        for task in others:
            task.cancel()
        await asyncio.gather(*others, return_exceptions=True)


async def _unknown_key(host: str, port: int) -> str:
    """Return what to say of a server whose key nobody has accepted."""
    import asyncssh

    try:
        key = await asyncssh.get_server_host_key(host, port)
    except (asyncssh.Error, OSError) as error:
        raise RemoteError("the server does not show the key that it is known by") from error
    told = key.get_fingerprint() if key else "of no kind that is known"
    return f"the server's key {told} is not among your known hosts; if it is right, accept it once with ssh"


def _client(credentials: Credentials, path: PathBytes) -> "asyncssh.SSHClient":
    """Return what answers a server that wants a password."""
    import asyncssh

    class Client(asyncssh.SSHClient):
        def __init__(self) -> None:
            self._tried = 0

        async def password_auth_requested(self) -> str | None:
            self._tried += 1
            if self._tried > 2:
                return None
            find = credentials.of if self._tried == 1 else credentials.asked
            login = await asyncio.get_running_loop().run_in_executor(None, find, path)
            if login is None and self._tried == 1:
                return await self.password_auth_requested()
            return login.password if login else None

    return Client()
