"""The contents of files: which are to be read, what was read of them, and what is one content after all."""

import sqlite3
from collections.abc import Collection, Iterable, Iterator, Sequence
from itertools import groupby
from typing import NamedTuple

from foldkeep.model import PathBytes

from .files import join
from .filtering import Shared, below_any, numbers

_PAGE = 1024

SMALL_FILE = 256 * 1024
"""Larger files are read first, the largest before the others; the rest in order of inode, as they lie."""


class Reading(NamedTuple):
    """A file whose content a scan should read: one job for all the hard links of one file.

    `ids` are the stock's numbers of its names, `path` is one of them; `digest` is that of its content as it was read
    before, if it was.
    """

    ids: tuple[int, ...]
    path: bytes
    size: int
    modified_ns: int
    inode: int
    etag: str = ""
    digest: bytes | None = None


class Backlog(NamedTuple):
    """Files that a scan has to read: how many, of how many bytes in all, and which."""

    files: int
    bytes: int
    readings: Iterator[Reading]


class Alike(NamedTuple):
    """A file that shares size and ends with one of which a server states the digest, and is no link to it."""

    number: int
    path: bytes
    digest: bytes | None
    stated: str | None


_HAS_ALIKE = (
    "f.ends IS NOT NULL AND EXISTS (SELECT 1 FROM files g WHERE g.size = f.size"
    " AND g.ends = f.ends AND (g.inode <> f.inode OR g.volume <> f.volume))"
)


class Contents:
    """Contents of files: those that were read, and those that a scan has to read."""

    def __init__(self, connection: sqlite3.Connection) -> None:
        self._db = connection

    def to_read_ends(self, least_size: int = 1, scan: int = 0, places: Collection[int] | None = None) -> Backlog:
        """Return the files that share their size with another and of which the ends were not read yet.

        Parameters
        ----------
        least_size, scan, places
            Only files of at least this size, in folders that this or a later scan looked into, in these
            places (in any when None).
        """
        return self._backlog(
            "f.ends IS NULL AND f.size > 0 AND EXISTS (SELECT 1 FROM files g WHERE g.size = f.size"
            " AND (g.inode <> f.inode OR g.volume <> f.volume))",
            least_size,
            scan,
            places,
        )

    def to_read_whole(self, least_size: int = 1, scan: int = 0, places: Collection[int] | None = None) -> Backlog:
        """Return the files not yet read whole that share size and ends with another."""
        return self._backlog(
            f"f.digest IS NULL AND f.stated IS NULL AND {_HAS_ALIKE}",
            least_size,
            scan,
            places,
        )

    def stated_and_alike(self, places: Collection[int]) -> Iterator[list[Alike]]:
        """Yield the files of places that share size and ends, where servers state digests of some not yet known."""
        rows = self._db.execute(
            "SELECT f.id, d.path, f.name, f.digest, f.stated, f.size, f.ends FROM files f"
            f" JOIN folders d ON d.id = f.folder WHERE f.place IN ({numbers(places)}) AND (f.size, f.ends) IN"
            f" (SELECT f.size, f.ends FROM files f WHERE f.stated IS NOT NULL AND f.digest IS NULL AND {_HAS_ALIKE})"
            " ORDER BY f.size DESC, f.ends, d.path, f.name"
        ).fetchall()
        for _, files in groupby(rows, key=lambda row: row[5:]):
            yield [Alike(row[0], join(row[1], row[2]), row[3], row[4]) for row in files]

    def to_read_numbered(self, files: Iterable[int]) -> Backlog:
        """Return files by their numbers."""
        self._db.execute("DROP TABLE IF EXISTS temp.asked")
        self._db.execute("CREATE TEMP TABLE asked (file INTEGER PRIMARY KEY)")
        self._db.executemany("INSERT INTO temp.asked VALUES (?)", ((number,) for number in files))
        return self._backlog("f.id IN temp.asked", 1, 0, None)

    def spread_stated(self) -> int:
        """Give files the digest of one that was read and of which servers state the same, and return how many."""
        return self._db.execute(
            "UPDATE files SET digest = g.digest FROM files g WHERE files.stated IS NOT NULL AND files.digest IS NULL"
            " AND g.stated = files.stated AND g.digest IS NOT NULL AND g.size = files.size AND g.ends = files.ends"
        ).rowcount

    def to_read_rest(
        self, places: Collection[int], kinds: Collection[str] | None = None, under: Collection[PathBytes] = ()
    ) -> Backlog:
        """Return the files of places, of any kind or some, of which the whole content was not read yet.

        Where folders are named, only those `under` them.
        """
        below, values = below_any(under)
        return self._backlog(f"f.digest IS NULL AND f.size > 0 AND {below}", 1, 0, places, kinds, values)

    def read_before(
        self, places: Collection[int], kinds: Collection[str] | None = None
    ) -> Iterator[tuple[int, bytes, int | None, str]]:
        """Yield the files of places, of any kind or some, that were read whole: number, path, the time of last status
        change that it had then (None where that does not tell), and entity tag.
        """
        some = f" AND f.kind IN ({','.join('?' * len(kinds))})" if kinds is not None else ""
        rows = self._db.execute(
            "SELECT f.id, d.path, f.name, f.read_changed_ns, f.etag FROM files f JOIN folders d ON d.id = f.folder"
            f" WHERE f.digest IS NOT NULL AND f.size > 0 AND f.place IN ({numbers(places)}){some}",
            tuple(kinds or ()),
        )
        for number, folder, name, changed_ns, etag in rows:
            yield number, join(folder, name), changed_ns, etag

    def to_read_shared(self, places: Collection[int], shared: Shared) -> Backlog:
        """Return the files of places that may share something, of which the whole content was not read yet."""
        return self._backlog(f"f.digest IS NULL AND {shared}", 1, 0, places)

    def _backlog(
        self,
        condition: str,
        least_size: int,
        scan: int,
        places: Collection[int] | None,
        kinds: Collection[str] | None = None,
        values: Sequence[object] = (),
    ) -> Backlog:
        if kinds is not None:
            condition += f" AND f.kind IN ({','.join('?' * len(kinds))})"
        if places is not None:
            condition += f" AND f.place IN ({numbers(places)})"
        # The work is set down in a table of its own first: results are written while it is read.
        self._db.execute("DROP TABLE IF EXISTS temp.work")
        self._db.execute(
            "CREATE TEMP TABLE work AS SELECT f.id, d.path AS folder, f.name, f.size, f.modified_ns,"
            f" f.volume, f.inode, f.etag, f.digest FROM files f JOIN folders d ON d.id = f.folder WHERE {condition}"
            " AND f.size >= ? AND d.scan >= ? ORDER BY iif(f.size > ?, f.size, 0) DESC, f.volume, f.inode",
            (*values, *(kinds or ()), least_size, scan, SMALL_FILE),
        )
        count, size = self._db.execute(
            "SELECT count(*), coalesce(sum(size), 0) FROM (SELECT size FROM temp.work GROUP BY volume, inode)"
        ).fetchone()
        return Backlog(count, size, self._readings())

    def _readings(self) -> Iterator[Reading]:
        for _, links in groupby(self._work(), key=lambda row: (row[6], row[7])):
            rows = list(links)
            _, _, folder, name, size, modified_ns, _, inode, *rest = rows[0]
            yield Reading(tuple(row[1] for row in rows), join(folder, name), size, modified_ns, inode, *rest)

    def _work(self) -> Iterator[tuple]:  # type: ignore[type-arg]
        """Yield the rows of the work by pages, so that no cursor stays open over a write."""
        last = 0
        while page := self._db.execute(
            f"SELECT rowid, * FROM temp.work WHERE rowid > ? ORDER BY rowid LIMIT {_PAGE}", (last,)
        ).fetchall():
            yield from page
            last = page[-1][0]

    def set_read(
        self, found: Iterable[tuple[int | None, bytes | None, str | None, int | None, int | None, int]]
    ) -> None:
        """Write what was read of files: rows of ends, digest, contradicting content, extent, time of last status
        change, the file's number.

        What is None leaves what is there.
        """
        self._db.executemany(
            "UPDATE files SET ends = coalesce(?, ends), digest = coalesce(?, digest),"
            " content = coalesce(?, content), extent = coalesce(?, extent),"
            " read_changed_ns = coalesce(?, read_changed_ns) WHERE id = ?",
            found,
        )

    def set_stated(self, found: Iterable[tuple[str, int]]) -> None:
        """Write down the digests that servers state of files: rows of algorithm and digest, the file's number."""
        self._db.executemany("UPDATE files SET stated = ? WHERE id = ?", found)

    def seen_on_two_volumes(self) -> Iterator[list[tuple[int, int, bytes]]]:
        """Yield groups of files that may be one, seen through two mounts: number, volume and path of each.

        They have one content, inode number, size and time on several volumes.
        """
        alike = self._db.execute(
            "SELECT digest, inode, size, modified_ns FROM files WHERE digest IS NOT NULL"
            " GROUP BY digest, inode, size, modified_ns HAVING min(volume) <> max(volume)"
        ).fetchall()
        for digest, inode, size, modified_ns in alike:
            rows = self._db.execute(
                "SELECT f.id, f.volume, d.path, f.name FROM files f JOIN folders d ON d.id = f.folder"
                " WHERE f.digest = ? AND f.inode = ? AND f.size = ? AND f.modified_ns = ? ORDER BY f.volume, f.id",
                (digest, inode, size, modified_ns),
            )
            yield [(number, volume, join(folder, name)) for number, volume, folder, name in rows]

    def set_volume(self, number: int, volume: int) -> None:
        """Note that a file is one of another volume, seen through a second mount: it is one with that."""
        self._db.execute("UPDATE files SET volume = ? WHERE id = ?", (volume, number))

    def perhaps_cloned(self) -> list[tuple[int, bytes]]:
        """Return numbers and paths of files that a clone may have been made of since they were read.

        Those are files that share no blocks as far as is known, beside one of their content that does.
        """
        rows = self._db.execute(
            "SELECT f.id, d.path, f.name FROM files f JOIN folders d ON d.id = f.folder WHERE f.extent IS NULL"
            " AND EXISTS (SELECT 1 FROM files g WHERE g.digest = f.digest AND g.volume = f.volume"
            " AND g.extent IS NOT NULL) AND f.digest IN (SELECT digest FROM files WHERE extent IS NOT NULL)"
        )
        return [(id_, join(folder, name)) for id_, folder, name in rows]

    def digested(self) -> int:
        """Return of how many names the whole content was read."""
        (count,) = self._db.execute("SELECT count(*) FROM files WHERE digest IS NOT NULL").fetchone()
        return int(count)
