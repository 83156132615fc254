"""The cloud's server, in threads of this process, on this machine alone."""

import base64
import hashlib
import os
import socket
import threading
from collections.abc import Iterable
from contextlib import suppress
from dataclasses import dataclass, field
from types import TracebackType
from typing import Any, Self

from .account import Account
from .faults import HANG_UP, Application, Environ, Faults, StartResponse

_THREADS = 12


@dataclass(frozen=True, slots=True)
class CloudOptions:
    """What a cloud is like.

    Attributes
    ----------
    quota
        Bytes that files and bin may take; None for no limit.
    shared
        The name of a folder at the top that somebody else shares; empty for none.
    login
        Name and password that it wants; None for nobody's.
    states_digests
        Whether it states digests of whole contents (RFC 9530).
    """

    quota: int | None = None
    shared: str = ""
    login: tuple[str, str] | None = None
    states_digests: bool = False
    faults: Faults = field(default_factory=Faults)


class Cloud:
    """A cloud that holds what lies in `<folder>/files`, and runs inside a ``with`` block.

    Attributes
    ----------
    url
        The address of its top.
    account
        What its user has.
    """

    def __init__(self, folder: str, options: CloudOptions | None = None, port: int = 0) -> None:
        self.options = options or CloudOptions()
        self.account = Account(
            os.path.join(folder, "files"), os.path.join(folder, "bin"), self.options.quota, self.options.shared
        )
        for each in (self.account.files, self.account.bin):
            os.makedirs(each, exist_ok=True)
        self.faults = self.options.faults
        self._server = _server(self._application(), port)
        self._thread = threading.Thread(target=self._server.serve, name="cloud", daemon=True)
        self.url = ""

    def _application(self) -> Application:
        from wsgidav.wsgidav_app import WsgiDAVApp

        from .folders import CloudProvider

        login = self.options.login
        users: Any = True if login is None else {login[0]: {"password": login[1]}}
        app: Application = WsgiDAVApp(
            {
                "provider_mapping": {"/": CloudProvider(self.account)},
                "simple_dc": {"user_mapping": {"*": users}},
                "http_authenticator": {"accept_basic": True, "accept_digest": True, "default_to_digest": True},
                "verbose": 0,
                "logging": {"enable": False},
                "property_manager": None,
                "dir_browser": {"enable": False},
            }
        )
        if self.options.states_digests:
            app = _stating_digests(app, self.account)
        return self.faults.around(app)

    def __enter__(self) -> Self:
        self._server.prepare()
        self.url = f"http://127.0.0.1:{self._server.bind_addr[1]}"
        self._thread.start()
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self._server.stop()
        self._thread.join()


def _server(application: Application, port: int) -> Any:
    from cheroot.wsgi import Gateway_10, Server

    class Gateway(Gateway_10):
        """Lets an application hang up."""

        def get_environ(self) -> Environ:  # type: ignore[override]
            environ: Environ = super().get_environ()  # type: ignore[no-untyped-call]
            environ[HANG_UP] = self._hang_up
            return environ

        def _hang_up(self) -> None:
            connection = self.req.conn
            self.req.sent_headers = True  # nothing is to be sent any more
            self.req.close_connection = True
            with suppress(OSError):
                connection.socket.shutdown(socket.SHUT_RDWR)

    server = Server(("127.0.0.1", port), application, numthreads=_THREADS, server_name="cloud", timeout=60)
    server.gateway = Gateway
    setattr(server, "error_log", lambda *_, **__: None)  # noqa: B010 - what we broke on purpose is no news
    return server


def _stating_digests(inner: Application, account: Account) -> Application:
    """Return an application that states the digest of a content, also of a part of it, where that is wanted."""

    def application(environ: Environ, start_response: StartResponse) -> Iterable[bytes]:
        path = os.path.join(account.files, environ["PATH_INFO"].encode("latin-1").decode("utf-8", "replace").strip("/"))
        wanted = "sha-256" in environ.get("HTTP_WANT_REPR_DIGEST", "") and environ["REQUEST_METHOD"] in ("GET", "HEAD")

        def start(status: str, headers: list[tuple[str, str]], *more: Any) -> Any:
            if wanted and status[0] == "2" and os.path.isfile(path):
                with open(path, "rb") as file:
                    digest = base64.b64encode(hashlib.file_digest(file, "sha256").digest()).decode()
                headers = [*headers, ("Repr-Digest", f"sha-256=:{digest}:")]
            return start_response(status, headers, *more)

        return inner(environ, start)

    return application
