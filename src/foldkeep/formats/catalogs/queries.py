"""Catalogues that are SQLite files of other programs, read by a query that the user gives."""

import os
import sqlite3
import time
from collections.abc import Iterator
from contextlib import closing
from urllib.parse import quote

from foldkeep.model.catalogs import CatalogEntry

from ..reading import opened_file
from .records import entry_of, looks_like_a_path

_SECONDS = 60.0
_STEPS = 10_000
_READING = (sqlite3.SQLITE_SELECT, sqlite3.SQLITE_READ, sqlite3.SQLITE_FUNCTION, sqlite3.SQLITE_RECURSIVE)
_NO_FUNCTIONS = frozenset({"load_extension", "writefile", "edit", "fts3_tokenizer"})


def read_query(path: str, query: str, field: str = "", seconds: float = _SECONDS) -> Iterator[CatalogEntry]:
    """Yield the files that a query finds: of each row, the column `field`, or the first that looks like a path.

    The file is opened as one that nobody changes (``immutable``), and nothing but reading is allowed.

    Parameters
    ----------
    seconds
        How long the query may take.

    Raises
    ------
    OSError, ValueError
        If the file cannot be read, another program is in the middle of changing it, or the query does more than read.
    """
    if not query:
        raise ValueError("it is an SQLite file; say what to ask it with --query 'select path from …'")
    with opened_file(path):
        pass
    for suffix in ("-wal", "-journal"):
        if os.path.exists(path + suffix) and os.path.getsize(path + suffix):
            raise ValueError(f"another program is using it ({os.path.basename(path)}{suffix} is there); close that one")
    address = f"file:{quote(os.path.abspath(os.fsencode(path)))}?mode=ro&immutable=1"
    until = time.monotonic() + seconds
    try:
        with closing(sqlite3.connect(address, uri=True)) as database:
            database.text_factory = lambda data: data.decode("utf-8", "surrogateescape")
            database.set_authorizer(_only_reading)
            database.set_progress_handler(lambda: int(time.monotonic() > until), _STEPS)
            rows = database.execute(query)
            names = [column[0] for column in rows.description or ()]
            if field and field not in names:
                raise ValueError(f"the query gives no column {field!r}; there are {', '.join(names)}")
            for number, row in enumerate(rows, start=1):
                record = dict(zip(names, row, strict=True))
                text = _path(record, field)
                if text:
                    yield entry_of(text, f"row {number}", record)
    except sqlite3.Error as error:
        if "interrupted" in str(error):
            raise ValueError(f"the query took longer than {seconds:g} seconds") from error
        if "not authorized" in str(error) or "prohibited" in str(error):
            raise ValueError("the query does more than read, which is refused") from error
        raise ValueError(f"the query failed: {error}") from error
    except sqlite3.Warning as error:
        raise ValueError(f"the query failed: {error}") from error


def _path(record: dict[str, object], field: str) -> str:
    values = [record[field]] if field else list(record.values())
    texts = [os.fsdecode(value) if isinstance(value, bytes) else value for value in values]
    return next((text for text in texts if isinstance(text, str) and (field or looks_like_a_path(text))), "")


def _only_reading(action: int, _first: str | None, second: str | None, *_: object) -> int:
    if action not in _READING or (action == sqlite3.SQLITE_FUNCTION and second in _NO_FUNCTIONS):
        return sqlite3.SQLITE_DENY
    return sqlite3.SQLITE_OK
