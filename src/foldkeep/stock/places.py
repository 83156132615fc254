"""The places of a stock and the volumes that they lie on."""

import sqlite3

from foldkeep.model import Place, Role


class Places:
    """The places that the user has told Fold Keep about."""

    def __init__(self, connection: sqlite3.Connection) -> None:
        self._db = connection

    def all(self) -> list[Place]:
        """Return every place in order of path."""
        rows = self._db.execute("SELECT id, path, role, label, volume FROM places ORDER BY path")
        return [Place(id, path, Role(role), label, volume) for id, path, role, label, volume in rows]

    def by_id(self) -> dict[int, Place]:
        """Return every place under its number."""
        return {place.id: place for place in self.all()}

    def add(self, path: bytes, role: Role, label: str, volume: int) -> Place:
        """Put a place into the stock, or bring role and volume of a known one up to date.

        `path` is absolute and without symbolic links. A label that another place has gets a number.
        """
        taken = {place.label for place in self.all() if place.path != path}
        unique, number = label, 2
        while unique in taken:
            unique, number = f"{label}-{number}", number + 1
        (id_,) = self._db.execute(
            "INSERT INTO places (path, role, label, volume) VALUES (?, ?, ?, ?) "
            "ON CONFLICT (path) DO UPDATE SET role = excluded.role, volume = excluded.volume RETURNING id",
            (path, role, unique, volume),
        ).fetchone()
        return self.by_id()[id_]

    def volume(self, key: str) -> int:
        """Return the number of the volume with this key, new if need be."""
        self._db.execute("INSERT INTO volumes (key) VALUES (?) ON CONFLICT DO NOTHING", (key,))
        (id_,) = self._db.execute("SELECT id FROM volumes WHERE key = ?", (key,)).fetchone()
        return int(id_)
