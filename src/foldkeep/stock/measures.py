"""What was measured of files, kept by their paths, sizes and times, so that each is measured once."""

import sqlite3
from collections.abc import Collection, Mapping

from blake3 import blake3

from foldkeep.model.names import file_uri

from .filtering import batches

Seen = tuple[bytes, int, int]
"""A file as the stock knows it: its path, size, and time of modification in nanoseconds."""


class KnownMeasures:
    """Answers by what was asked of which files; another version of the measuring asks all again."""

    def __init__(self, connection: sqlite3.Connection) -> None:
        self._db = connection

    def of_all(self, what: str, wanted: Collection[tuple[Seen, ...]], measurer: int) -> dict[tuple[Seen, ...], str]:
        """Return those answers to one question that are known, by the files that it is asked of: many at once."""
        if not self._db.execute("SELECT 1 FROM measures WHERE what = ? LIMIT 1", (what,)).fetchone():
            return {}
        keys = {_key(files): files for files in wanted}
        found: dict[tuple[Seen, ...], str] = {}
        for some in batches(keys):
            rows = self._db.execute(
                "SELECT files, answer FROM measures WHERE what = ? AND measurer = ?"
                f" AND files IN ({','.join('?' * len(some))})",
                (what, measurer, *some),
            )
            found.update((keys[key], answer) for key, answer in rows)
        return found

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
