"""Every text in a document, however it is packed: what may name a file, for whoever must not miss one.

Text, XML and JSON are read as they are; gzip, zlib, zip, SQLite files and binary property lists are opened, also inside
one another. What is none of these may say anything, and is a ValueError.
"""

import gzip
import html
import io
import json
import os
import plistlib
import re
import sqlite3
import zipfile
import zlib
from collections.abc import Iterable, Iterator
from contextlib import closing
from pathlib import Path
from typing import Any, Protocol
from urllib.parse import unquote

from foldkeep.model.signatures import format_of

from ..reading import is_utf16, opened_file, read_whole, text_encoding, text_of

_MOST_TEXT = 256 * 1024 * 1024
_MOST_DEEP = 4
_START = 64
_SQLITE = b"SQLite format 3\0"
_GZIP, _ZIP, _PLIST = b"\x1f\x8b", b"PK\x03\x04", b"bplist00"
_ZLIB = (b"\x78\x01", b"\x78\x5e", b"\x78\x9c", b"\x78\xda")
_ESCAPED = re.compile(r"(?:\\u[0-9a-fA-F]{4})+|\\/|\\\\")
_HALVES, _HALF = re.compile("[\ud800-\udbff][\udc00-\udfff]"), re.compile("[\ud800-\udc7f\udd00-\udfff]")
"""Surrogates of UTF-16; those that stand for bytes that are no UTF-8 (PEP 383) are not among the lone ones."""

_XML_ENCODING = re.compile(rb"\s*<\?xml[^>]{0,200}?\bencoding\s*=\s*[\"']([A-Za-z0-9._-]{1,40})[\"']")
_VIEW_STEPS = 50_000_000  # of SQLite's machine; a view may be written so that it never ends


class Bounds:
    """Counts what was unpacked of one document, and refuses what is too much."""

    def __init__(self, most: int = _MOST_TEXT) -> None:
        self.left = most

    def take(self, size: int) -> None:
        """Count bytes; raise ValueError if they are too many in all."""
        self.left -= size
        if self.left < 0:
            raise ValueError(
                f"it holds more than {_MOST_TEXT // 1024**2} MiB of text, which is too much to look through"
            )


def texts_of_file(path: bytes) -> Iterator[str]:
    """Yield every text in a file, with what its escapes stand for.

    Raises OSError, or ValueError if it is none of what can be looked through, so that it may say anything.
    """
    bounds = Bounds()
    with opened_file(path) as file:
        start = file.read(len(_SQLITE))
    if start == _SQLITE:
        found: Iterator[str] = _of_database(path, bounds)
    elif start.startswith(_ZIP):
        found = _of_zip(os.fsdecode(path), bounds, 0)
    else:
        found = _of_data(read_whole(os.fsdecode(path)), bounds, 0)
    for text in found:
        yield spelled_out(text)


def spelled_out(text: str) -> str:
    """Return a text with what its escapes stand for added to it: of URIs, XML and JSON."""
    found = [text]
    if "%" in text:
        found.append(unquote(text))
    if "&" in text:
        found.append(html.unescape(text))
        found.append(unquote(found[-1]))
    if "\\" in text:
        found += [_ESCAPED.sub(_unescaped, each) for each in tuple(found)]
    return _whole("\n".join(dict.fromkeys(found)))


def _unescaped(found: re.Match[str]) -> str:
    return str(json.loads(f'"{found[0]}"'))


def _whole(text: str) -> str:
    """Return a text in which characters that were written as two halves are whole; a half alone is marked as broken."""
    text = _HALVES.sub(lambda pair: pair[0].encode("utf-16-le", "surrogatepass").decode("utf-16-le"), text)
    return _HALF.sub("\ufffd", text)


def _of_data(data: bytes, bounds: Bounds, depth: int) -> Iterator[str]:
    """Yield the texts in a content that is text, or packed in a way that is known."""
    if depth > _MOST_DEEP:
        raise ValueError(f"it is packed more than {_MOST_DEEP} times")
    bounds.take(len(data))
    if data.startswith(_GZIP):
        yield from _of_data(_gunzipped(data, bounds), bounds, depth + 1)
    elif data.startswith(_ZIP):
        yield from _of_zip(io.BytesIO(data), bounds, depth + 1)
    elif data.startswith(_PLIST):
        yield from _of_property_list(data, bounds, depth + 1)
    elif data.startswith(_ZLIB) and (inside := _inflated(data, bounds)) is not None:
        yield from _of_data(inside, bounds, depth + 1)
    elif b"\0" in data and not is_utf16(data):
        raise ValueError("it is no text, and nothing that can be looked through")
    else:
        yield text_of(data)
        if declared := _XML_ENCODING.match(data):
            yield _decoded(data, declared[1].decode("ascii"))


def _decoded(data: bytes, encoding: str) -> str:
    """Return text in the encoding that XML 1.0, 4.3.3, lets it declare; ValueError if that is not known."""
    name = text_encoding(encoding)
    return "" if name in ("utf-8", "ascii", "utf-16") else data.decode(name, "replace")


class _Readable(Protocol):
    def read(self, size: int, /) -> bytes: ...


def _bounded(stream: _Readable, bounds: Bounds) -> bytes:
    data = stream.read(bounds.left + 1)
    if len(data) > bounds.left:
        bounds.take(len(data))
    return data


def _gunzipped(data: bytes, bounds: Bounds) -> bytes:
    try:
        with gzip.open(io.BytesIO(data)) as stream:
            return _bounded(stream, bounds)
    except (OSError, EOFError, zlib.error) as error:
        raise ValueError(f"it is no whole gzip file: {error}") from error


def _inflated(data: bytes, bounds: Bounds) -> bytes | None:
    """Return what a zlib stream (RFC 1950) holds; None if it is none after all."""
    unpack = zlib.decompressobj()
    try:
        found = unpack.decompress(data, bounds.left + 1)
    except zlib.error:
        return None
    bounds.take(max(0, len(found) - bounds.left))
    return found if unpack.eof else None


def _of_zip(file: str | io.BytesIO, bounds: Bounds, depth: int) -> Iterator[str]:
    try:
        with zipfile.ZipFile(file) as packed:
            for name in packed.namelist():
                yield name
                with packed.open(name) as stream:
                    data = _bounded(stream, bounds)
                if format_of(data[:_START]) in (None, "ZIP", "PDF"):  # pictures and sounds mention nothing
                    yield from _of_data(data, bounds, depth + 1)
    except (zipfile.BadZipFile, zlib.error, EOFError, NotImplementedError, RuntimeError, OSError) as error:
        raise ValueError(f"it is no zip file that can be read: {error}") from error


def _of_property_list(data: bytes, bounds: Bounds, depth: int) -> Iterator[str]:
    """Yield the texts of a binary property list, keys included."""
    try:
        ahead: list[Any] = [plistlib.loads(data, fmt=plistlib.FMT_BINARY)]
    except Exception as error:  # the library raises many kinds for broken ones
        raise ValueError(f"it is no whole property list: {error}") from error
    while ahead:
        value = ahead.pop()
        if isinstance(value, str):
            bounds.take(len(value))
            yield value
        elif isinstance(value, dict):
            ahead += [*value.keys(), *value.values()]
        elif isinstance(value, list | tuple | set):
            ahead += value
        elif isinstance(value, bytes):
            yield from _of_cell(value, bounds, depth)


def _of_database(path: bytes, bounds: Bounds) -> Iterator[str]:
    """Yield every text and every readable blob of an SQLite file, which is opened so that nothing is written."""
    for suffix in (b"-wal", b"-journal"):
        # What its program knows stands in there too, and reading that writes into the file or beside it.
        with_more = path + suffix
        if os.path.exists(with_more) and (suffix == b"-wal" or os.path.getsize(with_more)):
            raise ValueError(f"its {suffix.decode()} lies beside it, as while its program has it open")
    try:
        uri = Path(os.fsdecode(path)).absolute().as_uri()
        with closing(sqlite3.connect(f"{uri}?mode=ro&immutable=1", uri=True)) as database:
            database.text_factory = bytes
            steps = iter(range(_VIEW_STEPS // 100_000))
            database.set_progress_handler(lambda: next(steps, None) is None, 100_000)
            tables = database.execute("SELECT name FROM sqlite_master WHERE type IN ('table', 'view')").fetchall()
            for (table,) in tables:
                name = table.decode("utf-8", "surrogateescape").replace('"', '""')
                for row in database.execute(f'SELECT * FROM "{name}"'):  # noqa: S608 - quoted as SQL asks
                    yield from _of_row(row, bounds)
    except sqlite3.Error as error:
        raise ValueError(f"it is no SQLite file that can be read: {error}") from error


def _of_row(row: Iterable[object], bounds: Bounds) -> Iterator[str]:
    """Yield the texts of a row, and all of them in one, since a path may be spread over several."""
    for cell in row:
        if isinstance(cell, bytes) and cell:
            yield from _of_cell(cell, bounds, 1)


def _of_cell(cell: bytes, bounds: Bounds, depth: int) -> Iterator[str]:
    if cell.startswith((_GZIP, _ZIP, _PLIST)):
        yield from _of_data(cell, bounds, depth + 1)
        return
    bounds.take(len(cell))
    if cell.startswith(_ZLIB) and (inside := _inflated(cell, bounds)) is not None:
        yield from _of_cell(inside, bounds, depth + 1)
        return
    # A blob with some numbers in front of a path is still looked through; NUL bytes part what stands beside them.
    yield text_of(cell).replace("\0", "\n")
    if b"\0" in cell:
        for at in (0, 1):
            yield cell[at:].decode("utf-16-le", "replace")
            yield cell[at:].decode("utf-16-be", "replace")
