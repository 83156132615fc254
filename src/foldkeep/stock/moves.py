"""Files that moved: what a scan no longer found, and which of what it found are those."""

import sqlite3
from collections.abc import Collection

from .files import join
from .filtering import numbers


class Moves:
    """Files that are gone, and what is known again of them elsewhere."""

    def __init__(self, connection: sqlite3.Connection) -> None:
        self._db = connection

    def gone(self, path: bytes) -> tuple[bytes | None, int | None]:
        """Return digest and size of a file that a scan no longer found at a path, as far as they are known."""
        row = self._db.execute("SELECT digest, size FROM gone WHERE path = ?", (path,)).fetchone()
        return row or (None, None)

    def recognise_moved(self) -> int:
        """Give files that were moved what was read of them before, and return how many those are.

        A file is a moved one if one that is gone had its volume, inode, size and time.
        """
        return self._db.execute(
            "UPDATE files SET ends = g.ends, digest = g.digest, content = g.content FROM gone g"
            " WHERE (g.ends IS NOT NULL OR g.digest IS NOT NULL) AND files.ends IS NULL AND files.digest IS NULL"
            " AND NOT files.fresh AND files.size = g.size AND files.volume = g.volume"
            " AND files.inode = g.inode AND files.modified_ns = g.modified_ns"
        ).rowcount

    def recognise_moved_by_ends(self, volumes: Collection[int]) -> int:
        """Give files that were moved what was read of them before, where inode numbers do not last; return how many.

        A file is a moved one if one that is gone had its volume, size, time, and first and last block.
        """
        if not volumes:
            return 0
        return self._db.execute(
            "UPDATE files SET digest = g.digest, content = g.content FROM gone g WHERE g.digest IS NOT NULL"
            " AND files.digest IS NULL AND NOT files.fresh AND files.size = g.size AND files.volume = g.volume"
            f" AND files.modified_ns = g.modified_ns AND files.ends = g.ends AND g.volume IN ({numbers(volumes)})"
        ).rowcount

    def sample(self, place: int, most: int) -> list[tuple[bytes, int, int, int]]:
        """Return paths, sizes, times and inodes of up to so many files of a place, from all over it."""
        (count,) = self._db.execute("SELECT count(*) FROM files WHERE place = ?", (place,)).fetchone()
        rows = self._db.execute(
            "SELECT d.path, f.name, f.size, f.modified_ns, f.inode FROM files f JOIN folders d ON d.id = f.folder"
            " WHERE f.place = ? AND NOT f.fresh AND f.id % ? = 0 LIMIT ?",
            (place, max(1, count // most), most),
        )
        return [(join(folder, name), size, modified_ns, inode) for folder, name, size, modified_ns, inode in rows]
