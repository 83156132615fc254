"""What the document of a project mentions: the files that a timeline refers to, or else every text in it.

Timelines (OpenTimelineIO, edit decision lists) tell exactly which media they use. Of other documents only the texts
are known: XML, JSON and plain text as they are, and what gzip, zip and SQLite files hold.
"""

import gzip
import html
import io
import json
import os
import re
import sqlite3
import zipfile
import zlib
from collections.abc import Iterator
from contextlib import closing
from dataclasses import dataclass
from pathlib import Path
from typing import Protocol
from urllib.parse import unquote

from foldkeep.model import CatalogEntry, format_of, suffix_of

from .reading import is_utf16, read_whole, text_of
from .timelines import read_edl, read_otio

_MOST_TEXT = 256 * 1024 * 1024
_START = 64
_SQLITE = b"SQLite format 3\0"
_GZIP, _ZIP = b"\x1f\x8b", b"PK\x03\x04"
_ESCAPED = re.compile(r"\\u[0-9a-fA-F]{4}|\\/|\\\\")
_TIMELINES = {"otio": read_otio, "otioz": read_otio, "otiod": read_otio, "edl": read_edl}


@dataclass(frozen=True, slots=True)
class Mentions:
    """What a document mentions: the entries of a timeline, or texts in which names and URIs may stand."""

    entries: tuple[CatalogEntry, ...] = ()
    texts: tuple[str, ...] = ()


def mentions_in(path: bytes) -> Mentions:
    """Read what the document of a project mentions.

    Raises OSError, or ValueError if it is none of what can be looked through, so that it may mention anything.
    """
    reader = _TIMELINES.get(suffix_of(path.rpartition(b"/")[2]))
    if reader:
        entries = tuple(reader(os.fsdecode(path)))
        if not entries and reader is read_edl:
            raise ValueError("it names no clip")
        return Mentions(entries)
    return Mentions(texts=tuple(_spelled_out(text) for text in _texts_of_file(path)))


def _spelled_out(text: str) -> str:
    """Return a text with what its escapes stand for added to it: of URIs, XML and JSON."""
    found = [text]
    if "%" in text:
        found.append(unquote(text))
    if "&" in text:
        found.append(html.unescape(text))
        found.append(unquote(found[-1]))
    if "\\" in text:
        found.append(_ESCAPED.sub(_unescaped, text))
    return "\n".join(dict.fromkeys(found))


def _unescaped(found: re.Match[str]) -> str:
    return str(json.loads(f'"{found[0]}"'))


def _texts_of_file(path: bytes) -> Iterator[str]:
    with open(path, "rb") as file:
        start = file.read(len(_SQLITE))
    if start == _SQLITE:
        yield from _texts_of_database(path)
    elif start.startswith(_ZIP):
        yield from _texts_of_zip(path)
    elif start.startswith(_GZIP):
        yield _text_of(_gunzipped(path))
    else:
        yield _text_of(read_whole(os.fsdecode(path)))


def _text_of(data: bytes) -> str:
    """Return what is text by its look; ValueError for anything else, since names may stand in it in any form."""
    if is_utf16(data):
        return text_of(data)
    if b"\0" in data:
        raise ValueError("it is no text, and nothing that can be looked through")
    return text_of(data)


def _gunzipped(path: bytes) -> bytes:
    try:
        with gzip.open(path) as stream:
            return _bounded(stream)
    except (EOFError, zlib.error) as error:
        raise ValueError(f"it is no whole gzip file: {error}") from error


class _Readable(Protocol):
    def read(self, size: int, /) -> bytes: ...


def _bounded(stream: _Readable, most: int = _MOST_TEXT) -> bytes:
    data = stream.read(most + 1)
    if len(data) > most:
        raise ValueError(f"it holds more than {_MOST_TEXT // 1024**2} MiB of text, which is too much to look through")
    return data


def _texts_of_zip(path: bytes) -> Iterator[str]:
    left = _MOST_TEXT
    try:
        with zipfile.ZipFile(os.fsdecode(path)) as packed:
            for name in packed.namelist():
                yield name
                with packed.open(name) as stream:
                    data = _bounded(stream, left)
                left -= len(data)
                if format_of(data[:_START]) in (None, "ZIP", "PDF"):  # pictures and sounds mention nothing
                    yield _text_of(_unzipped_once(data))
    except (zipfile.BadZipFile, zlib.error, EOFError, NotImplementedError, RuntimeError) as error:
        raise ValueError(f"it is no zip file that can be read: {error}") from error


def _unzipped_once(data: bytes) -> bytes:
    if not data.startswith(_GZIP):
        return data
    with gzip.open(io.BytesIO(data)) as stream:
        return _bounded(stream)


def _texts_of_database(path: bytes) -> Iterator[str]:
    """Yield every text and every readable blob of an SQLite file, which is opened so that nothing is written."""
    size = 0
    if os.path.exists(path + b"-wal"):
        # What its program knows stands in there too, and reading that writes into a file beside it.
        raise ValueError("a write-ahead log lies beside it, as while its program has it open")
    try:
        uri = Path(os.fsdecode(path)).absolute().as_uri()
        with closing(sqlite3.connect(f"{uri}?mode=ro&immutable=1", uri=True)) as database:
            database.text_factory = bytes
            tables = database.execute("SELECT name FROM sqlite_master WHERE type = 'table'").fetchall()
            for (table,) in tables:
                name = table.decode("utf-8", "surrogateescape").replace('"', '""')
                for row in database.execute(f'SELECT * FROM "{name}"'):  # noqa: S608 - quoted as SQL asks
                    for cell in row:
                        if isinstance(cell, bytes) and cell:
                            size += len(cell)
                            if size > _MOST_TEXT:
                                raise ValueError("it holds too much text to look through")
                            yield _text_of_cell(cell)
    except sqlite3.Error as error:
        raise ValueError(f"it is no SQLite file that can be read: {error}") from error


def _text_of_cell(cell: bytes) -> str:
    data = cell
    if cell.startswith(_GZIP):
        try:
            data = _unzipped_once(cell)
        except (OSError, EOFError, zlib.error) as error:
            raise ValueError(f"a packed cell of it cannot be read: {error}") from error
    # A blob with some numbers in front of a path is still looked through; NUL bytes part what stands beside them.
    return text_of(data).replace("\0", "\n")
