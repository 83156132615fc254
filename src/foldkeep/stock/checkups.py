"""What the last check-up found, so that the next one can tell what is new."""

import json
import sqlite3

from foldkeep.model.reminders import CheckedUp


class CheckUps:
    """Looks up and writes down what check-ups found."""

    def __init__(self, connection: sqlite3.Connection) -> None:
        self._db = connection

    def last(self, word: str) -> CheckedUp:
        """Return what the last check-up found under a word."""
        row = self._db.execute("SELECT made_ns, known FROM checkups WHERE word = ?", (word,)).fetchone()
        if row is None:
            return CheckedUp()
        known = json.loads(row[1])
        return CheckedUp(row[0], known["count"], known["bytes"], frozenset(known["names"]))

    def put(self, word: str, found: CheckedUp) -> None:
        """Write down what was found under a word, in the place of what was before."""
        known = {"count": found.number, "bytes": found.bytes, "names": sorted(found.names)}
        self._db.execute("INSERT OR REPLACE INTO checkups VALUES (?, ?, ?)", (word, found.made_ns, json.dumps(known)))

    def new_spares(self) -> tuple[int, int]:
        """Return how many spares `Sets.rank` found that the last check-up did not, and their bytes."""
        count, size = self._db.execute(
            "SELECT coalesce(sum(more), 0), coalesce(sum(more * bytes), 0) FROM ("
            " SELECT max(0, sum(s.spares) - coalesce(c.spares, 0)) AS more, max(s.bytes) AS bytes"
            " FROM temp.sets s LEFT JOIN checkup_spares c ON c.digest = s.digest GROUP BY s.digest)"
        ).fetchone()
        return count, size

    def put_spares(self) -> None:
        """Write down the spares that `Sets.rank` found, in the place of those before, where they are others."""
        self._db.execute(
            "DELETE FROM checkup_spares WHERE digest NOT IN (SELECT digest FROM temp.sets WHERE digest IS NOT NULL)"
        )
        self._db.execute(
            "INSERT INTO checkup_spares SELECT digest, sum(spares) FROM temp.sets WHERE true GROUP BY digest"
            " ON CONFLICT (digest) DO UPDATE SET spares = excluded.spares WHERE spares <> excluded.spares"
        )
