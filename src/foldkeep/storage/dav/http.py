"""HTTP (RFC 9110) as WebDAV needs it: requests to one server alone, its answers checked, its refusals in words."""

import errno
import math
import os
import ssl
import threading
import time
from collections.abc import Iterable, Iterator
from contextlib import contextmanager, suppress
from email.utils import parsedate_to_datetime
from typing import TYPE_CHECKING, Any

from foldkeep.model import PathBytes, visible
from foldkeep.model.remote import is_this_machine, remote_uri, server_of

from ..remote.credentials import Credentials, Login
from ..remote.errors import NotAllowed, NotTheFile, RemoteError, ServerGone, TryLater
from ..remote.patience import Patience, Throttle

if TYPE_CHECKING:
    import httpx

_AT_ONCE = 16
_SLOW_AFTER_SECONDS, _SLOWEST = 60.0, 1024
"""After so long an answer must have come at so many bytes a second."""

_CHANGING = ("PUT", "MOVE", "DELETE", "MKCOL")
_PARSED = {"Accept-Encoding": "identity", "User-Agent": "foldkeep"}


class Http:
    """Requests to one server. Nothing is sent to any other: an answer that leads elsewhere is refused."""

    def __init__(self, path: PathBytes, credentials: Credentials, patience: Patience, throttle: Throttle) -> None:
        import httpx

        self._server = server_of(path)
        self._path = path
        self._credentials = credentials
        self.patience = patience
        self.throttle = throttle
        self._lock = threading.Lock()
        self._auth: httpx.Auth | None = None
        self._was_asked = False
        limits = httpx.Limits(max_connections=_AT_ONCE, max_keepalive_connections=_AT_ONCE)
        is_here = is_this_machine(path)
        self._client = httpx.Client(
            verify=_trusted() if path.startswith(b"https:") else False,
            timeout=httpx.Timeout(patience.answer_seconds),
            limits=limits,
            headers=_PARSED,
            follow_redirects=False,
            trust_env=not is_here,  # a proxy may stand between us and others, never between us and ourselves
        )

    def close(self) -> None:
        """End the connections."""
        self._client.close()

    @contextmanager
    def answer(
        self, method: str, path: PathBytes, headers: dict[str, str] | None = None, content: Any = None,
        *, is_folder: bool = False,
    ) -> Iterator["httpx.Response"]:  # fmt: skip
        """Send one request and hold its answer open for the block, once it is not a refusal.

        Raises
        ------
        OSError
            FileNotFoundError, PermissionError, RemoteError and its kinds: what the server says, or that it says
            nothing.
        """
        import h11
        import httpx

        uri = remote_uri(path) + ("/" if is_folder and not path.endswith(b"/") else "")
        try:
            response = self._sent(method, uri, headers, content)
            try:
                self._check(response)
                yield response
            finally:
                response.close()
        except httpx.HTTPError as error:
            raise _words_for(error) from error
        except h11.ProtocolError as error:  # what is sent was cut, or grew, under our hands
            raise RemoteError("what was to be sent changed meanwhile") from error
        except (httpx.InvalidURL, httpx.CookieConflict, httpx.StreamError) as error:
            raise RemoteError(f"cannot be asked for: {type(error).__name__}") from error

    def _sent(self, method: str, uri: str, headers: dict[str, str] | None, content: Any) -> "httpx.Response":
        patience = self.patience
        seconds = patience.change_seconds if method in _CHANGING else patience.answer_seconds
        request = self._client.build_request(method, uri, headers=headers, content=content, timeout=seconds)
        used = self._auth
        response = self._client.send(request, stream=True, auth=used)
        if response.status_code != 401:
            return response
        response.close()
        if not isinstance(content, (bytes, type(None))):  # what comes from a stream cannot be sent twice
            raise NotAllowed("the server wants a name and password")
        auth = self._next_auth(response.headers.get("www-authenticate", ""), used)
        request = self._client.build_request(method, uri, headers=headers, content=content, timeout=seconds)
        return self._client.send(request, stream=True, auth=auth)

    def _next_auth(self, wanted: str, refused: "httpx.Auth | None") -> "httpx.Auth":
        """Return what to answer a server with that wants to know who asks; a person is asked once."""
        with self._lock:
            if self._auth is not None and self._auth is not refused:
                return self._auth  # another thread has just found it
            login = None if refused else self._credentials.of(self._path)
            if login is None and not self._was_asked:
                self._was_asked = True
                login = self._credentials.asked(self._path)
            if login is None:
                why = "refuses that name and password" if refused else "wants a name and password"
                raise NotAllowed(f"the server {why}; put them into .netrc or the keyring")
            self._auth = _auth(wanted, login)
            return self._auth

    def _check(self, response: "httpx.Response") -> None:
        """Raise what a status means, if it is not one of success."""
        status = response.status_code
        if 200 <= status < 300:
            return
        if 300 <= status < 400:
            raise RemoteError(_elsewhere(response))
        if status in (429, 503):
            raise TryLater("the server is busy; try again later", _retry_seconds(response))
        if status == 401:
            raise NotAllowed("the server refuses that name and password; put others into .netrc or the keyring")
        refusal = _REFUSALS.get(status)
        if refusal:
            kind, number, words = refusal
            raise kind(number, words) if kind in (FileNotFoundError, PermissionError, OSError) else kind(words)
        if status >= 500:
            raise TryLater(f"the server failed (status {status})")
        raise RemoteError(f"the server refused (status {status})", status=status)

    def parts(self, response: "httpx.Response", most: float = math.inf) -> Iterator[bytes]:
        """Yield the body of an answer, refusing more than `most` bytes, a coding, and one that trickles for ever."""
        if response.headers.get("content-encoding", "identity").lower() != "identity":
            raise RemoteError("the server sends what was not asked for: packed contents")
        began, count = time.monotonic(), 0
        for part in response.iter_raw(64 * 1024):
            count += len(part)
            if count > most:
                raise RemoteError("the server sends more than there can be")
            seconds = time.monotonic() - began
            if seconds > _SLOW_AFTER_SECONDS and count < _SLOWEST * seconds:
                raise ServerGone("the server hardly answers")
            self.throttle.passed(len(part))
            yield part


_REFUSALS: dict[int, tuple[Any, int, str]] = {
    403: (PermissionError, errno.EACCES, "the server does not allow it"),
    404: (FileNotFoundError, errno.ENOENT, "not there"),
    409: (FileNotFoundError, errno.ENOENT, "its folder is not there"),
    410: (FileNotFoundError, errno.ENOENT, "not there"),
    412: (NotTheFile, 0, "changed on the server meanwhile"),
    416: (NotTheFile, 0, "shorter on the server than it was"),
    423: (OSError, errno.EBUSY, "another program has locked it on the server"),
    507: (OSError, errno.ENOSPC, "no space left on the server"),
}


def _trusted() -> ssl.SSLContext:
    """Return whom we trust: the system's own authorities, and those that come with the library."""
    import certifi

    context = ssl.create_default_context()
    if not os.environ.get("SSL_CERT_FILE"):
        context.load_verify_locations(certifi.where())
    return context


def _auth(wanted: str, login: Login) -> "httpx.Auth":
    import httpx

    if "digest" in wanted.lower():
        return httpx.DigestAuth(login.user, login.password)
    return httpx.BasicAuth(login.user, login.password)


def _elsewhere(response: "httpx.Response") -> str:
    to = response.headers.get("location", "")
    with suppress(Exception):  # whatever stands there
        to = visible(str(response.url.join(to)).split("?")[0])
    return f"the server sends us elsewhere, to {to or 'nowhere'}; name that address itself"


def _retry_seconds(response: "httpx.Response") -> float | None:
    """Return how long a server wants to be left alone (RFC 9110, 10.2.3)."""
    text = response.headers.get("retry-after", "").strip()
    if text.isascii() and text.isdecimal():
        return float(text[:9])
    with suppress(ValueError, TypeError, OverflowError):
        return max(0.0, parsedate_to_datetime(text).timestamp() - time.time())
    return None


def _words_for(error: Exception) -> RemoteError:
    import httpx

    cause: BaseException | None = error
    while cause is not None:
        if isinstance(cause, ssl.SSLCertVerificationError):
            return NotAllowed(f"the server's certificate is not trusted: {cause.verify_message}")
        cause = cause.__cause__ or cause.__context__
    if isinstance(error, httpx.TimeoutException):
        return ServerGone("the server does not answer")
    if isinstance(error, httpx.ConnectError):
        return ServerGone("the server cannot be reached")
    if isinstance(error, httpx.UnsupportedProtocol):
        return RemoteError("cannot be asked for")
    return ServerGone("the connection to the server was lost")


def drained(response: "httpx.Response", parts: Iterable[bytes]) -> bytes:
    """Return a whole body, which has the length that the answer said."""
    data = b"".join(parts)
    said = response.headers.get("content-length", "")
    if said.isdecimal() and int(said) != len(data):
        raise ServerGone("the connection to the server was lost")
    return data
