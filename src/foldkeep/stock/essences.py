"""Essences of contents: which files are known to have one."""

import sqlite3

from .files import join


class Essences:
    """The essences of contents."""

    def __init__(self, connection: sqlite3.Connection) -> None:
        self._db = connection

    def paths_of(self, extractor: str, version: int, essence: bytes) -> list[bytes]:
        """Return the paths of the files that are known to have an essence, in order."""
        rows = self._db.execute(
            "SELECT d.path, f.name FROM signals s JOIN files f ON f.digest = s.digest"
            " JOIN folders d ON d.id = f.folder WHERE s.extractor = ? AND s.version = ?"
            " AND json_extract(s.value, '$.essence') = ? ORDER BY d.path, f.name",
            (extractor, version, essence.hex()),
        )
        return [join(folder, name) for folder, name in rows]
