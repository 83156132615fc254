"""Answers of PROPFIND (RFC 4918, 14.16), read as they come, into files; nothing of a document is kept but those.

What a server sends is not believed: a document type, an entity, a document that is too deep, too long or no XML is
refused, and so is a name that does not lie directly in the folder that was asked for.
"""

from collections.abc import Iterable, Iterator
from dataclasses import dataclass, field
from datetime import UTC
from email.utils import parsedate_to_datetime
from functools import lru_cache
from typing import Any
from urllib.parse import unquote_to_bytes, urlsplit

from foldkeep.model.remote import Quota, RemoteFile, is_step

from ..remote.errors import RemoteError

_D = "{DAV:}"
_DEEPEST, _LONGEST_TEXT, _MOST_RESPONSES = 32, 64 * 1024, 2_000_000
_RIGHTS = frozenset({_D + "all", _D + "write", _D + "unbind"})
_LARGEST = 2**63 - 1
_BAD_XML = "its answer is no WebDAV answer"

ASKED_OF_FILES = ("resourcetype", "getcontentlength", "getlastmodified", "getetag")
ASKED_OF_RIGHTS = ("owner", "current-user-privilege-set")
ASKED_OF_ME = (*ASKED_OF_RIGHTS, "current-user-principal")
ASKED_OF_SPACE = ("quota-available-bytes", "quota-used-bytes")


def question(properties: Iterable[str]) -> bytes:
    """Return the body of a PROPFIND that asks for live properties of WebDAV and its extensions."""
    asked = "".join(f"<{name}/>" for name in properties)
    return f'<?xml version="1.0" encoding="utf-8"?><propfind xmlns="DAV:"><prop>{asked}</prop></propfind>'.encode()


@dataclass(slots=True)
class Answer:
    """What a PROPFIND says of one resource: the path on the server, and the properties that it has."""

    path: bytes = b""
    is_folder: bool = False
    words: dict[str, str] = field(default_factory=dict)
    rights: set[str] | None = None

    def file(self, name: bytes, principal: bytes) -> RemoteFile:
        """Return the file or folder, under a name, as somebody sees it whose principal is known, or empty."""
        return RemoteFile(
            name,
            0 if self.is_folder else _size(self.words.get("getcontentlength", "")),
            _moment_ns(self.words.get("getlastmodified", "")),
            _strong(self.words.get("getetag", "")),
            self.is_folder,
            self._is_of(principal),
        )

    def _is_of(self, principal: bytes) -> bool:
        owner = path_of(self.words.get("owner", ""))
        if owner and principal and owner != principal:
            return False
        return self.rights is None or not self.rights.isdisjoint(_RIGHTS)

    def knows_rights(self) -> bool:
        """Tell whether the server knows whose what is, or what who is asking may do with it."""
        return self.rights is not None or bool(self.words.get("owner"))

    def principal(self) -> bytes:
        """Return the path of who is asking (RFC 5397); empty if the server does not tell."""
        return path_of(self.words.get("current-user-principal", ""))

    def quota(self) -> Quota | None:
        """Return the space there (RFC 4331); None if the server does not tell."""
        used, available = (_count(self.words.get(f"quota-{word}-bytes", "")) for word in ("used", "available"))
        return None if used is None and available is None else Quota(used, available)


class _Reader:
    """Takes the events of a parser, and has the answers that are complete."""

    def __init__(self) -> None:
        self.answers: list[Answer] = []
        self.is_multistatus = False
        self._stack: list[str] = []
        self._text: list[str] = []
        self._length = 0
        self._count = 0
        self._answer = Answer()
        self._found: Answer | None = None
        self._is_ok = False

    def start(self, tag: str, attributes: dict[str, str]) -> None:  # noqa: ARG002 - as a parser calls it
        if not self._stack:
            self.is_multistatus = tag == _D + "multistatus"
        self._stack.append(tag)
        self._text.clear()
        self._length = 0
        if len(self._stack) > _DEEPEST:
            raise RemoteError(_BAD_XML)
        if tag == _D + "response":
            self._answer = Answer()
        elif tag == _D + "propstat":
            self._found, self._is_ok = Answer(), True
        elif tag == _D + "current-user-privilege-set" and self._found:
            self._found.rights = set()

    def data(self, text: str) -> None:
        self._length += len(text)
        if self._length > _LONGEST_TEXT:
            raise RemoteError(_BAD_XML)
        self._text.append(text)

    def end(self, tag: str) -> None:
        above = self._stack[-2] if len(self._stack) > 1 else ""
        self._stack.pop()
        text = "".join(self._text).strip()
        self._text.clear()
        found = self._found
        if found is not None:
            self._end_in_propstat(tag, above, text, found)
        elif tag == _D + "href" and above == _D + "response":
            self._answer.path = path_of(text)
        elif tag == _D + "response":
            self._count += 1
            if self._count > _MOST_RESPONSES:
                raise RemoteError("it lists more than two million names in one folder")
            self.answers.append(self._answer)

    def _end_in_propstat(self, tag: str, above: str, text: str, found: Answer) -> None:
        if tag == _D + "propstat":
            if self._is_ok:
                self._answer.words |= found.words
                self._answer.is_folder |= found.is_folder
                self._answer.rights = found.rights if found.rights is not None else self._answer.rights
            self._found = None
        elif tag == _D + "status":
            self._is_ok = text.split(" ")[1:2] == ["200"]
        elif tag == _D + "collection" and above == _D + "resourcetype":
            found.is_folder = True
        elif above == _D + "privilege" and found.rights is not None:
            found.rights.add(tag)
        elif tag == _D + "href":
            found.words[above.removeprefix(_D)] = text
        elif above == _D + "prop" and text:
            found.words[tag.removeprefix(_D)] = text

    def close(self) -> None:
        """End, as a parser calls it."""


def answers(parts: Iterable[bytes]) -> Iterator[Answer]:
    """Yield the answers of a document that comes in parts; RemoteError if it is not one that can be used."""
    from defusedxml import DefusedXmlException
    from defusedxml.ElementTree import DefusedXMLParser, ParseError

    reader = _Reader()
    parser: Any = DefusedXMLParser(target=reader, forbid_dtd=True)
    try:
        for part in parts:
            parser.feed(part)
            yield from reader.answers
            reader.answers.clear()
        parser.close()
    except (ParseError, DefusedXmlException, ValueError, LookupError) as error:
        raise RemoteError(_BAD_XML) from error
    if not reader.is_multistatus:
        raise RemoteError(_BAD_XML)
    yield from reader.answers


def path_of(href: str) -> bytes:
    """Return the path on the server of an address or absolute path, decoded; empty if it is none."""
    try:
        path = urlsplit(href).path if "://" in href else href
    except ValueError:
        return b""
    return unquote_to_bytes(path.encode("utf-8", "surrogatepass")) if path.startswith("/") else b""


def name_below(path: bytes, folder: bytes) -> bytes | None:
    """Return the name of what lies directly in a folder; empty for the folder itself, None for anything else."""
    folder, path = folder.rstrip(b"/"), path.rstrip(b"/")
    if path == folder:
        return b""
    name = path.removeprefix(folder + b"/")
    return name if name != path and is_step(name) else None


def _count(text: str) -> int | None:
    return int(text) if text.isascii() and text.isdecimal() and len(text) < 20 and int(text) <= _LARGEST else None


def _size(text: str) -> int:
    size = _count(text)
    if size is None:
        raise RemoteError("it tells no size of a file")
    return size


def _strong(tag: str) -> str:
    """Return an entity tag if it is a strong one (RFC 9110, 8.8.3); empty if not.

    Some servers leave the quotes out of the property, which their own conditions want.
    """
    if not tag or tag.startswith("W/") or not tag.isascii() or not tag.isprintable() or len(tag) > 1024:
        return ""
    return tag if len(tag) > 1 and tag[0] == tag[-1] == '"' else f'"{tag}"'


@lru_cache(maxsize=4096)
def _moment_ns(text: str) -> int:
    """Return a time (RFC 9110, 5.6.7) in nanoseconds since the epoch; 0 for what is none."""
    try:
        moment = parsedate_to_datetime(text)
        moment = moment if moment.tzinfo else moment.replace(tzinfo=UTC)
        return int(moment.timestamp()) * 1_000_000_000
    except (ValueError, TypeError, OverflowError):
        return 0
