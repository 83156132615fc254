"""What media files say about themselves, kept by content, so that each is asked once."""

import json
import sqlite3

from foldkeep.model import Facts


class KnownFacts:
    """Facts by digest.

    Facts that another version of the reading found count as not known: it may have found less.
    """

    def __init__(self, connection: sqlite3.Connection) -> None:
        self._db = connection

    def of(self, digest: bytes, reader: int) -> Facts | None:
        """Return the facts of a content as this version of the reading found them, or None."""
        row = self._db.execute("SELECT facts FROM facts WHERE digest = ? AND reader = ?", (digest, reader)).fetchone()
        return Facts.from_known(json.loads(row[0])) if row else None

    def put(self, found: dict[bytes, Facts], reader: int) -> None:
        """Write down facts by digest."""
        self._db.executemany(
            "INSERT OR REPLACE INTO facts (digest, reader, facts) VALUES (?, ?, ?)",
            ((digest, reader, json.dumps(facts.known())) for digest, facts in found.items()),
        )
