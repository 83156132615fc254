"""Faults on request: an answer that is refused, lost, cut in the middle, given twice, or late."""

import threading
import time
from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass, field
from enum import StrEnum
from typing import Any

Environ = dict[str, Any]
StartResponse = Callable[..., Any]
Application = Callable[[Environ, StartResponse], Iterable[bytes]]

HANG_UP = "foldkeep.hang_up"
"""Under this name an application finds what ends the connection."""


class Fault(StrEnum):
    """What can go wrong with one request."""

    REFUSED = "refused"
    """Nothing is done, and the server says that it is busy (503)."""
    LOST = "lost"
    """It is done, and the connection ends without an answer."""
    CUT = "cut"
    """It is done, and the connection ends in the middle of the answer's body."""
    UNSENT = "unsent"
    """Nothing is done, and the connection ends."""
    TWICE = "twice"
    """It is done twice, as if somebody on the way had sent it again; the second answer is given."""
    LATE = "late"
    """It is done once the client has given up waiting."""
    FAILED = "failed"
    """It is done, and the server says that it failed (500)."""


@dataclass
class Faults:
    """Goes between a server and what it serves, counts requests, and lets some of them go wrong.

    Attributes
    ----------
    plan
        Faults by the number of the request that they meet, counted from 1.
    latency
        Seconds before each answer.
    late_seconds
        How long a late answer takes.
    retry_after
        What a busy server says about when to come back; nothing where empty.
    requests
        Method and path of each request.
    """

    plan: dict[int, Fault] = field(default_factory=dict)
    latency: float = 0.0
    late_seconds: float = 1.0
    retry_after: str = ""
    requests: list[tuple[str, str]] = field(default_factory=list)
    before: Callable[[int, str, str], None] | None = None
    """Is told number, method and path of each request before it is done: a place for somebody else's hand."""
    _lock: threading.Lock = field(default_factory=threading.Lock)

    def around(self, inner: Application) -> Application:
        """Return an application that does what `inner` does, with the faults."""

        def application(environ: Environ, start_response: StartResponse) -> Iterable[bytes]:
            method, path = environ["REQUEST_METHOD"], environ["PATH_INFO"]
            with self._lock:
                self.requests.append((method, path))
                number = len(self.requests)
            if self.before:
                self.before(number, method, path)
            if self.latency:
                time.sleep(self.latency)
            fault = self.plan.get(number)
            return (
                inner(environ, start_response)
                if fault is None
                else self._gone_wrong(fault, inner, environ, start_response)
            )

        return application

    def _gone_wrong(
        self, fault: Fault, inner: Application, environ: Environ, start_response: StartResponse
    ) -> Iterable[bytes]:
        hang_up: Callable[[], None] = environ[HANG_UP]
        if fault is Fault.REFUSED:
            headers = [("Content-Length", "0")] + [("Retry-After", self.retry_after)] * bool(self.retry_after)
            start_response("503 Service Unavailable", headers)
            return []
        if fault is Fault.UNSENT:
            hang_up()
            return []
        if fault is Fault.LATE:
            time.sleep(self.late_seconds)
        if fault is Fault.CUT:
            return _cut(inner(environ, start_response), hang_up)
        if fault is Fault.TWICE:
            body = environ["wsgi.input"].read(int(environ.get("CONTENT_LENGTH") or 0))
            _drained(inner, _again(environ, body))
            return inner(_again(environ, body), start_response)
        _drained(inner, environ)
        if fault is Fault.FAILED:
            start_response("500 Internal Server Error", [("Content-Length", "0")])
            return []
        hang_up()
        return []


def _again(environ: Environ, body: bytes) -> Environ:
    from io import BytesIO

    return {**environ, "wsgi.input": BytesIO(body)}


def _drained(inner: Application, environ: Environ) -> None:
    answer = inner(environ, lambda *_: lambda _: None)
    try:
        for _ in answer:
            pass
    finally:
        if hasattr(answer, "close"):
            answer.close()


def _cut(answer: Iterable[bytes], hang_up: Callable[[], None]) -> Iterator[bytes]:
    for part in answer:
        yield part[: max(1, len(part) // 2)]
        break
    hang_up()
