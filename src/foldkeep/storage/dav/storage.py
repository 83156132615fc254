"""A server's folders and files over WebDAV."""

import errno
from collections.abc import Iterable, Iterator
from typing import TYPE_CHECKING

from foldkeep.model import PathBytes
from foldkeep.model.remote import Part, Quota, RemoteFile, path_on_server, remote_uri

from ..remote.credentials import Credentials
from ..remote.errors import NotTheFile, RemoteError, ServerGone, TryLater
from ..remote.patience import Patience, Throttle
from .digests import stated_digest
from .http import Http, drained
from .multistatus import (
    ASKED_OF_FILES,
    ASKED_OF_ME,
    ASKED_OF_RIGHTS,
    ASKED_OF_SPACE,
    Answer,
    answers,
    name_below,
    question,
)

if TYPE_CHECKING:
    import httpx

_MOST_LISTED = 1024 * 1024 * 1024
_MUCH = 1024 * 1024
"""Bytes after which a connection that was lost counts as one that had worked."""

_WANT = {"Want-Repr-Digest": "sha-256=5, sha-512=3"}
_XML = {"Content-Type": "application/xml; charset=utf-8"}


class DavStorage:
    """One WebDAV server: see `RemoteStorage`."""

    def __init__(self, path: PathBytes, credentials: Credentials, patience: Patience, throttle: Throttle) -> None:
        self._http = Http(path, credentials, patience, throttle)
        self._principal: bytes | None = None
        self._asked: tuple[str, ...] = ASKED_OF_FILES

    def close(self) -> None:
        self._http.close()

    def files(self, folder: PathBytes) -> list[RemoteFile]:
        principal = self._who(folder)

        def ask() -> list[RemoteFile]:
            found: dict[bytes, RemoteFile] = {}
            is_folder = False
            for answer in self._answers(folder, "1", self._asked, is_folder=True):
                name = name_below(answer.path, path_on_server(folder))
                if name is None:
                    raise RemoteError("the server lists what does not lie there")
                if name == b"":
                    is_folder = answer.is_folder
                else:
                    found[name] = answer.file(name, principal)
            if not is_folder:
                raise NotADirectoryError(errno.ENOTDIR, "is no folder")
            return list(found.values())

        return self._http.patience.asked(ask)

    def _who(self, path: PathBytes) -> bytes:
        """Return the path of whoever asks on the server; empty if it does not tell."""
        if self._principal is None:
            told = self._of(path, ASKED_OF_ME)
            # What a server does not know of a folder it would say that it does not know of each file.
            self._asked = ASKED_OF_FILES + ASKED_OF_RIGHTS * told.knows_rights()
            self._principal = told.principal()
        return self._principal

    def _of(self, path: PathBytes, properties: Iterable[str]) -> Answer:
        """Return what the server says of one path alone."""

        def ask() -> Answer:
            for answer in self._answers(path, "0", properties):
                if name_below(answer.path, path_on_server(path)) == b"":
                    return answer
            raise RemoteError("the server answers for something else")

        return self._http.patience.asked(ask)

    def _answers(
        self, path: PathBytes, depth: str, properties: Iterable[str], *, is_folder: bool = False
    ) -> Iterator[Answer]:
        headers = _XML | {"Depth": depth}
        with self._http.answer("PROPFIND", path, headers, question(properties), is_folder=is_folder) as response:
            if response.status_code != 207:
                raise RemoteError("does not speak WebDAV")
            yield from answers(self._http.parts(response, _MOST_LISTED))

    def facts(self, path: PathBytes) -> RemoteFile | None:
        name = path_on_server(path).rstrip(b"/").rpartition(b"/")[2]
        try:
            principal = self._who(path)
            return self._of(path, self._asked).file(name, principal)
        except FileNotFoundError:
            return None

    def quota(self, path: PathBytes) -> Quota | None:
        return self._of(path, ASKED_OF_SPACE).quota()

    def part(self, path: PathBytes, start: int, size: int, etag: str = "") -> Part:
        def ask() -> Part:
            headers = _condition(etag) | _WANT | {"Range": f"bytes={start}-{start + size - 1}"}
            with self._http.answer("GET", path, headers) as response:
                _check_tag(response, etag)
                if response.status_code == 206:
                    _check_range(response, start, size)
                    data = drained(response, self._http.parts(response, size))
                else:  # it knows no ranges
                    data = _cut_out(self._http.parts(response), start, size)
                return Part(data, response.headers.get("etag", ""), stated_digest(response.headers))

        return self._http.patience.asked(ask)

    def parts(self, path: PathBytes, etag: str = "") -> Iterator[bytes]:
        """Yield a whole content; where the connection is lost the rest is asked for by a range, if a tag holds it."""
        at, tried = 0, 1
        while True:
            began = at
            try:
                for part in self._rest(path, at, etag):
                    at += len(part)
                    yield part
                return
            except (ServerGone, TryLater) as error:
                if at and not etag:
                    raise
                tried = 1 if at - began >= _MUCH else tried
                self._http.patience.wait_after(error, tried)
                tried += 1

    def _rest(self, path: PathBytes, start: int, etag: str) -> Iterator[bytes]:
        headers = _condition(etag) | ({"Range": f"bytes={start}-"} if start else {})
        with self._http.answer("GET", path, headers) as response:
            _check_tag(response, etag)
            if start and response.status_code != 206:
                raise NotTheFile
            said = response.headers.get("content-length", "")
            count = 0
            for part in self._http.parts(response):
                count += len(part)
                yield part
            if said.isdecimal() and int(said) != count:
                raise ServerGone("the connection to the server was lost")

    def make_folder(self, path: PathBytes) -> None:
        try:
            with self._http.answer("MKCOL", path, is_folder=True) as response:
                _check_made(response)
        except RemoteError as error:
            if error.status == 405:
                raise FileExistsError(errno.EEXIST, "its name is taken") from error
            raise

    def write_new(self, path: PathBytes, parts: Iterable[bytes], size: int) -> None:
        headers = {"If-None-Match": "*", "Content-Length": str(size)}
        try:
            with self._http.answer("PUT", path, headers, self._throttled(parts)) as response:
                _check_made(response)
        except NotTheFile as error:
            raise FileExistsError(errno.EEXIST, "its name is taken") from error

    def _throttled(self, parts: Iterable[bytes]) -> Iterator[bytes]:
        for part in parts:
            self._http.throttle.passed(len(part))
            yield part

    def move(self, path: PathBytes, new_path: PathBytes, etag: str = "") -> None:
        headers = _condition(etag) | {"Destination": remote_uri(new_path), "Overwrite": "F"}
        try:
            with self._http.answer("MOVE", path, headers) as response:
                _check_made(response)
        except NotTheFile as error:
            if self.facts(new_path) is not None:
                raise FileExistsError(errno.EEXIST, "its name is taken") from error
            raise

    def remove(self, path: PathBytes, etag: str = "") -> None:
        with self._http.answer("DELETE", path, _condition(etag)) as response:
            if response.status_code not in (200, 204):
                raise RemoteError(f"the server did it in part (status {response.status_code})")


def _condition(etag: str) -> dict[str, str]:
    return {"If-Match": etag} if etag else {}


def _check_tag(response: "httpx.Response", etag: str) -> None:
    now = response.headers.get("etag", "")
    if etag and now and now != etag:
        raise NotTheFile


def _check_made(response: "httpx.Response") -> None:
    """Raise RemoteError where a server did not make a new name, but replaced something, or did it in part."""
    if response.status_code != 201:
        raise RemoteError(f"the server did something else than it was asked (status {response.status_code})")


def _check_range(response: "httpx.Response", start: int, size: int) -> None:
    said = response.headers.get("content-range", "")
    if not said.startswith(f"bytes {start}-{start + size - 1}/"):
        raise RemoteError("the server sends another part than was asked for")


def _cut_out(parts: Iterable[bytes], start: int, size: int) -> bytes:
    """Return some bytes of a body, which is read only as far as they go."""
    data, at = b"", 0
    for part in parts:
        data += part[max(0, start - at) :][: size - len(data)]
        at += len(part)
        if len(data) == size:
            break
    return data
