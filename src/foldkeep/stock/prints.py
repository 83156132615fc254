"""Prints of contents, by which those that look or sound alike are found; kept beside the stock, each made once."""

import sqlite3
from collections.abc import Iterable, Iterator, Mapping
from typing import Any, NamedTuple

from foldkeep.model import UnusableInput, visible

from .side_file import SideFile

_TABLE = """
    DROP TABLE IF EXISTS contents_printed;   -- of before `within`; prints are made again
    CREATE TABLE IF NOT EXISTS prints_made (
        digest BLOB NOT NULL,
        extractor TEXT NOT NULL,
        version INTEGER NOT NULL,
        print BLOB NOT NULL,        -- by which like ones are looked for
        parts BLOB NOT NULL,        -- prints of parts
        detail BLOB NOT NULL,       -- by which a pair is confirmed
        sharpness REAL NOT NULL,
        quality INTEGER NOT NULL,
        color REAL NOT NULL,
        within REAL NOT NULL,
        problem TEXT NOT NULL,      -- why there is none; empty if there is one
        PRIMARY KEY (digest, extractor)
    ) STRICT, WITHOUT ROWID;
    CREATE TABLE IF NOT EXISTS compared (    -- contents that were compared with all others here
        digest BLOB NOT NULL,
        search TEXT NOT NULL,                -- extractor, and version of print and search
        PRIMARY KEY (digest, search)
    ) STRICT, WITHOUT ROWID;
    CREATE TABLE IF NOT EXISTS pairs (       -- of those, the pairs that are alike
        one BLOB NOT NULL,
        other BLOB NOT NULL,
        search TEXT NOT NULL,
        measured TEXT NOT NULL,              -- as who compared them writes it
        PRIMARY KEY (one, other, search)
    ) STRICT, WITHOUT ROWID
"""


class KnownPrint(NamedTuple):
    """Print of a content as it is kept.

    Attributes
    ----------
    print
        Bits by which like ones are looked for.
    parts
        Of a photo, prints of windows of it.
    detail
        Of a photo, shades by which a pair is confirmed.
    sharpness
        Of a photo, how much neighbouring shades differ; of two shots of one thing, more is sharper.
    quality
        Of a JPEG, 1 to 100, as its table for luma tells (ITU-T T.81, table K.1, scaled as most encoders do); else 0.
    color
        Of a photo, how colourful it is: 0 if it is grey, 255 if it is of pure colours.
    within
        Of a photo, which part of its pixels lies within a border; 1 if it has none.
    problem
        Why a content has none; empty if it has one.
    """

    print: bytes = b""
    parts: bytes = b""
    detail: bytes = b""
    sharpness: float = 0.0
    quality: int = 0
    color: float = 0.0
    within: float = 1.0
    problem: str = ""


class Prints(SideFile):
    """Prints by digest, in an SQLite file of their own; it may be deleted at any time, and they are made again.

    Where that file cannot be written, they last as long as this object.

    Parameters
    ----------
    stock_path
        Where the stock lies; the prints lie beside it.
    extractor, version
        What made them; those of other versions count as not there.
    """

    def __init__(self, stock_path: str, extractor: str, version: int) -> None:
        super().__init__(stock_path, ".prints", _TABLE)
        self._asked = (extractor, version)

    def _asked_rows(self, query: str, values: tuple[object, ...]) -> list[tuple[Any, ...]]:
        """Return the rows of a query; raise UnusableInput if the file is damaged."""
        try:
            return self._db.execute(query, values).fetchall()
        except sqlite3.DatabaseError as error:
            raise UnusableInput(
                f"the prints in {visible(self.path)} are damaged", "delete that file; they are made again"
            ) from error

    def digests(self) -> set[bytes]:
        """Return the contents that have a print, or of which it is known that they have none."""
        rows = self._asked_rows("SELECT digest FROM prints_made WHERE extractor = ? AND version = ?", self._asked)
        return {row[0] for row in rows}

    def all(self) -> Iterator[tuple[bytes, KnownPrint]]:
        """Yield every content that has a print, in order of digest; parts and details are asked for apart."""
        rows = self._asked_rows(
            "SELECT digest, print, sharpness, quality, color, within FROM prints_made"
            " WHERE extractor = ? AND version = ? AND problem = '' ORDER BY digest",
            self._asked,
        )
        for digest, whole, *said in rows:
            yield digest, KnownPrint(whole, b"", b"", *said)

    def of(self, digest: bytes) -> KnownPrint | None:
        """Return the print of a content with all that belongs to it; None if it was not made yet."""
        rows = self._asked_rows(
            "SELECT print, parts, detail, sharpness, quality, color, within, problem FROM prints_made"
            " WHERE digest = ? AND extractor = ? AND version = ?",
            (digest, *self._asked),
        )
        return KnownPrint(*rows[0]) if rows else None

    def parts(self, digest: bytes) -> bytes:
        """Return the prints of parts of a content."""
        return self._blob("parts", digest)

    def detail(self, digest: bytes) -> bytes:
        """Return by what a pair with a content is confirmed."""
        return self._blob("detail", digest)

    def _blob(self, column: str, digest: bytes) -> bytes:
        rows = self._asked_rows(
            f"SELECT {column} FROM prints_made WHERE digest = ? AND extractor = ? AND version = ?",
            (digest, *self._asked),
        )
        return bytes(rows[0][0]) if rows else b""

    def without(self) -> set[bytes]:
        """Return the contents of which it is known that they have no print."""
        rows = self._asked_rows(
            "SELECT digest FROM prints_made WHERE extractor = ? AND version = ? AND problem <> ''", self._asked
        )
        return {row[0] for row in rows}

    def compared(self, search: int) -> set[bytes]:
        """Return the contents that a version of the search has compared with all others of these."""
        rows = self._asked_rows("SELECT digest FROM compared WHERE search = ?", (self._search(search),))
        return {row[0] for row in rows}

    def pairs(self, search: int) -> Iterator[tuple[bytes, bytes, str]]:
        """Yield the pairs of contents that it has found, with what was written of each."""
        query = "SELECT one, other, measured FROM pairs WHERE search = ?"
        yield from self._asked_rows(query, (self._search(search),))

    def put_pairs(self, search: int, contents: Iterable[bytes], pairs: Iterable[tuple[bytes, bytes, str]]) -> None:
        """Keep that contents were compared with all, and what pairs were found; if that fails, it is done again."""
        name = self._search(search)
        self._written(
            ("INSERT OR REPLACE INTO pairs VALUES (?, ?, ?, ?)", ((one, two, name, text) for one, two, text in pairs)),
            ("INSERT OR REPLACE INTO compared VALUES (?, ?)", ((digest, name) for digest in contents)),
        )

    def _search(self, version: int) -> str:
        return f"{self._asked[0]} {self._asked[1]}.{version}"

    def put(self, found: Mapping[bytes, KnownPrint]) -> None:
        """Keep prints; a full disk or another Fold Keep that is just writing is no reason to stop."""
        rows = (
            (
                digest,
                *self._asked,
                each.print,
                each.parts,
                each.detail,
                each.sharpness,
                each.quality,
                each.color,
                each.within,
                each.problem,
            )
            for digest, each in found.items()
        )
        self._written(("INSERT OR REPLACE INTO prints_made VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)", rows))

    def _written(self, *statements: tuple[str, Iterable[tuple[object, ...]]]) -> None:
        try:
            self._db.execute("BEGIN")
            for query, rows in statements:
                self._db.executemany(query, rows)
            self._db.execute("COMMIT")
        except sqlite3.Error:
            if self._db.in_transaction:
                self._db.execute("ROLLBACK")
