"""What was measured of files, kept by their paths, sizes and times, so that each is measured once."""

import sqlite3
from collections.abc import Mapping

from blake3 import blake3

from foldkeep.model.names import file_uri

Seen = tuple[bytes, int, int]
"""A file as the stock knows it: its path, size, and time of modification in nanoseconds."""


class KnownMeasures:
    """Answers by what was asked of which files; another version of the measuring asks all again."""

    def __init__(self, connection: sqlite3.Connection) -> None:
        self._db = connection

    def of(self, what: str, files: tuple[Seen, ...], measurer: int) -> str | None:
        """Return an answer that is known, or None."""
        row = self._db.execute(
            "SELECT answer FROM measures WHERE what = ? AND files = ? AND measurer = ?", (what, _key(files), measurer)
        ).fetchone()
        return str(row[0]) if row else None

    def put(self, found: Mapping[tuple[str, tuple[Seen, ...]], str], measurer: int) -> None:
        """Write down answers, by what was asked of which files."""
        self._db.executemany(
            "INSERT OR REPLACE INTO measures (what, files, measurer, answer) VALUES (?, ?, ?, ?)",
            ((what, _key(files), measurer, answer) for (what, files), answer in found.items()),
        )


def _key(files: tuple[Seen, ...]) -> bytes:
    return blake3(
        "\n".join(f"{file_uri(path)} {size} {modified_ns}" for path, size, modified_ns in files).encode()
    ).digest()
