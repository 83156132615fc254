"""Files one by one, and summed up by what they have in common."""

import os
import sqlite3
from collections.abc import Callable, Collection, Iterable, Iterator, Sequence
from typing import Any, NamedTuple

from foldkeep.model import Filter, StockFile
from foldkeep.model.companions import owner_names, sidecar_stems
from foldkeep.model.files import BLOCK_BYTES

from .files import FILE_COLUMNS, join, stock_file
from .filtering import BELOW, FILTERABLE, batches, bounds, condition, tables
from .places import Places

_ORDERS = {
    "size": "f.size DESC, d.path, f.name",
    "age": "f.modified_ns, d.path, f.name",
    "name": "f.name, d.path",
    "path": "d.path, f.name",
}
LIST_ORDERS = tuple(_ORDERS)

DAY_NS = 86_400_000_000_000
# What tells groups apart, and by what the rows are grouped: by folder first where that spares sorting all of them.
_GROUPINGS = {
    "kind": ("f.kind", "1"),
    # The last bytes of a name tell the suffix where that has three letters; else the whole name must.
    "end": ("iif(substr(f.name, -4, 1) = x'2E' AND length(f.name) > 4, substr(f.name, -5), f.name)", "f.folder, 1"),
    "day": (f"f.modified_ns / {DAY_NS}", "1"),
    "place": ("f.place", "1"),
    "volume": ("f.volume", "1"),
    "owner": ("f.owner", "1"),
    "folder": ("f.folder", "1"),
    "folder and kind": ("f.folder || ' ' || f.kind", "f.folder, f.kind"),
    "folder and day": (f"f.folder || ' ' || (f.modified_ns / {DAY_NS})", f"f.folder, f.modified_ns / {DAY_NS}"),
}
DISK = f"coalesce(f.blocks * {BLOCK_BYTES}, f.size)"
SHARES = "(f.links > 1 OR f.extent IS NOT NULL)"


class Found(NamedTuple):
    """How many files fit, their bytes, and how many names they have."""

    files: int
    size: int
    names: int


class Sum(NamedTuple):
    """Files that have something in common.

    Attributes
    ----------
    key
        What they have in common: a kind, the end of a name, a day since the epoch, or a number of the stock.
    bytes
        The sum of their sizes.
    disk
        What they take on their volumes, as far as is known: hard links once, clones once, holes not at all.
    """

    key: str | int | bytes
    files: int
    bytes: int
    disk: int


class Listing:
    """Looks files up."""

    def __init__(self, connection: sqlite3.Connection) -> None:
        self._db = connection

    def files(self, wanted: Filter, order: str = "path", limit: int | None = None) -> Iterator[StockFile]:
        """Yield the files that fit in one of `LIST_ORDERS`: the largest, the oldest, or the first by name or path."""
        places = Places(self._db).by_id()
        fits, values = condition(self._db, wanted)
        rows = self._db.execute(
            f"SELECT {FILE_COLUMNS} FROM {tables(wanted)} WHERE {fits} ORDER BY {_ORDERS[order]} LIMIT ?",
            (*values, -1 if limit is None else limit),
        )
        for row in rows:
            yield stock_file(row, places)

    def by_folder(
        self, wanted: Filter, takes: Callable[[bytes], object] = bool
    ) -> Iterator[tuple[bytes, int, list[tuple[bytes, str, int, int, int]]]]:
        """Yield every folder that has files: its path, its place, and its files in order of name.

        Of each file that is name, kind, size, modified_ns, and whether it fits. Folders of which `takes` says no are
        passed by.
        """
        fits, values = condition(self._db, wanted)
        tables = FILTERABLE if wanted else "files f"
        for id_, path, place in self._db.execute("SELECT id, path, place FROM folders ORDER BY path").fetchall():
            if not takes(path):
                continue
            files = self._db.execute(
                f"SELECT f.name, f.kind, f.size, f.modified_ns, {fits} FROM {tables} WHERE f.folder = ?"
                " ORDER BY f.name",
                (*values, id_),
            ).fetchall()
            if files:
                yield path, place, files

    def count_folders(self) -> int:
        """Return how many folders there are."""
        (count,) = self._db.execute("SELECT count(*) FROM folders").fetchone()
        return int(count)

    def paths_named(self, *names: bytes) -> list[bytes]:
        """Return the paths of the files of some names."""
        rows = self._db.execute(
            "SELECT d.path, f.name FROM files f JOIN folders d ON d.id = f.folder"
            f" WHERE f.name IN ({','.join('?' * len(names))})",
            names,
        )
        return [join(folder, name) for folder, name in rows]

    def web_pages(self) -> list[bytes]:
        """Return the paths of the files whose names have ``.htm`` in them, in any letters; perhaps others."""
        rows = self._db.execute(
            "SELECT d.path, f.name FROM files f JOIN folders d ON d.id = f.folder"
            " WHERE hex(f.name) LIKE '%2E68746D%' OR hex(f.name) LIKE '%2E48544D%'"
        )
        return [join(folder, name) for folder, name in rows]

    def hard_links(self) -> list[list[bytes]]:
        """Return the paths of each file that has several names in the stock."""
        found: dict[tuple[int, int], list[bytes]] = {}
        rows = self._db.execute(
            "SELECT f.volume, f.inode, d.path, f.name FROM files f JOIN folders d ON d.id = f.folder WHERE f.links > 1"
        )
        for volume, inode, folder, name in rows:
            found.setdefault((volume, inode), []).append(join(folder, name))
        return [paths for paths in found.values() if len(paths) > 1]

    def paths(self) -> Iterator[bytes]:
        """Yield the path of every file."""
        for folder, name in self._db.execute("SELECT d.path, f.name FROM files f JOIN folders d ON d.id = f.folder"):
            yield join(folder, name)

    def named_contents(self) -> Iterator[tuple[bytes, str, bytes | None]]:
        """Yield path, kind and digest of every file, in order of path."""
        rows = self._db.execute(
            "SELECT d.path, f.name, f.kind, f.digest FROM files f JOIN folders d ON d.id = f.folder"
            " ORDER BY d.path, f.name"
        )
        for folder, name, kind, digest in rows:
            yield join(folder, name), kind, digest

    def count(self, wanted: Filter) -> Found:
        """Return how much fits; hard links to one file count once, with the names that fit."""
        fits, values = condition(self._db, wanted)
        names, size = self._db.execute(
            f"SELECT count(*), coalesce(sum(f.size), 0) FROM {FILTERABLE} WHERE {fits}", values
        ).fetchone()
        further, twice = self._db.execute(
            "SELECT coalesce(sum(names - 1), 0), coalesce(sum(size * (names - 1)), 0) FROM"
            f" (SELECT count(*) AS names, max(f.size) AS size FROM {FILTERABLE} WHERE f.links > 1 AND {fits}"
            " GROUP BY f.volume, f.inode) linked",
            values,
        ).fetchone()
        return Found(int(names - further), int(size - twice), int(names))

    def at(self, path: bytes) -> StockFile | None:
        """Return the file at a path, if the stock knows it."""
        folder, _, name = path.rpartition(b"/")
        return next(self._where("d.path = ? AND f.name = ?", (folder or b"/", name)), None)

    def at_all(self, paths: Iterable[bytes]) -> dict[bytes, StockFile]:
        """Return the files at paths, by path, as far as the stock knows them: many at once, a folder at a time."""
        names: dict[bytes, set[bytes]] = {}
        for path in paths:
            folder, _, name = path.rpartition(b"/")
            names.setdefault(folder or b"/", set()).add(name)
        places = Places(self._db).by_id()
        found: dict[bytes, StockFile] = {}
        for folder, asked in names.items():
            for some in batches(asked):
                rows = self._db.execute(
                    f"SELECT {FILE_COLUMNS} FROM files f JOIN folders d ON d.id = f.folder"
                    f" WHERE d.path = ? AND f.name IN ({','.join('?' * len(some))})",
                    (folder, *some),
                )
                found.update((file.path, file) for file in (stock_file(row, places) for row in rows))
        return found

    def of_digest(self, start: bytes) -> list[StockFile]:
        """Return the files whose digest begins so, in order of digest and path."""
        after = (int.from_bytes(start, "big") + 1).to_bytes(len(start) + 1, "big")
        end = after[1:] if after[0] == 0 else b"\xff" * 33
        found = self._where("f.digest >= ? AND f.digest < ?", (start, end))
        return sorted(found, key=lambda file: (file.digest or b"", file.path))

    def of_digests(self, digests: Iterable[bytes]) -> dict[bytes, list[StockFile]]:
        """Return the files that have contents, by content, each in order of path."""
        return {digest: self.of_digest(digest) for digest in digests}

    def _where(self, fits: str, values: tuple[object, ...]) -> Iterator[StockFile]:
        places = Places(self._db).by_id()
        rows = self._db.execute(
            f"SELECT {FILE_COLUMNS} FROM files f JOIN folders d ON d.id = f.folder WHERE {fits}", values
        )
        return (stock_file(row, places) for row in rows)

    def contents(self, wanted: Filter) -> Iterator[tuple[Any, ...]]:
        """Yield the files that fit as folder, name, size, modified_ns, kind, volume, inode, ends, digest."""
        fits, values = condition(self._db, wanted)
        yield from self._db.execute(
            "SELECT d.path, f.name, f.size, f.modified_ns, f.kind, f.volume, f.inode, f.ends, f.digest"
            f" FROM {FILTERABLE} WHERE {fits}",
            values,
        )

    def folder_rows(self, places: Collection[int]) -> Iterator[tuple[bytes, int, int, list[tuple[Any, ...]]]]:
        """Yield every folder of places in order of path, with its place, its volume, and its names in their order.

        Of each name that is what an inventory has of it.
        """
        folders = self._db.execute("SELECT id, path, place, volume FROM folders ORDER BY path").fetchall()
        for number, path, place, volume in folders:
            if place in places:
                # Asked folder by folder, nothing has to be sorted: the index has the names in order.
                rows = self._db.execute(
                    "SELECT name, kind, size, modified_ns, inode, links, owner, blocks, extent, content, ends,"
                    " digest FROM files WHERE folder = ? ORDER BY name",
                    (number,),
                )
                yield path, place, volume, rows.fetchall()

    def folders(self) -> dict[int, bytes]:
        """Return the path of every folder under its number."""
        return dict(self._db.execute("SELECT id, path FROM folders"))

    def bare_folders(self) -> list[bytes]:
        """Return the folders in and below which no file is known, in order of path."""
        rows = self._db.execute(
            "SELECT d.path FROM folders d WHERE NOT EXISTS (SELECT 1 FROM files f WHERE f.folder = d.id)"
            " ORDER BY d.path"
        )
        bare = [path for (path,) in rows]
        full = {path for (path,) in self._db.execute("SELECT d.path FROM folders d JOIN files f ON f.folder = d.id")}
        above = {path[:at] for path in full for at, char in enumerate(path) if char == 0x2F}
        return [path for path in bare if path not in above]

    def sums(self, by: str, wanted: Filter) -> list[Sum]:
        """Return the files that fit, summed up by one of ``kind``, ``end`` (of the name), ``day``, ``place``,
        ``volume``, ``owner``, ``folder``, ``folder and kind`` and ``folder and day``.

        Of one group there may be several sums, which are to be added; some only correct what others have too much.
        """
        key, grouping = _GROUPINGS[by]
        return self._summed(key, grouping, "f.id", wanted, lambda key: key[0])

    def _summed(
        self, columns: str, grouping: str, order: str, wanted: Filter, group_of: Callable[[Sequence[Any]], Any]
    ) -> list[Sum]:
        fits, values = condition(self._db, wanted)
        # Without filters the other two tables have nothing to say.
        table = FILTERABLE if wanted else "files f"
        rows = self._db.execute(
            f"SELECT {columns}, count(*), coalesce(sum(f.size), 0), coalesce(sum({DISK}), 0), max({SHARES})"
            f" FROM {table} WHERE {fits} GROUP BY {grouping}",
            values,
        ).fetchall()
        found = [Sum(group_of(key), int(files), int(size), int(disk)) for *key, files, size, disk, _ in rows]
        if not any(row[-1] for row in rows):
            return found
        seen: set[tuple[int, int]] = set()
        shared = self._db.execute(
            f"SELECT {columns}, f.volume, f.inode, coalesce(~f.extent, f.inode), f.size, {DISK} FROM {table}"
            f" WHERE {SHARES} AND {fits} ORDER BY {order}",
            values,
        )
        linked: set[tuple[int, int]] = set()
        for *key, volume, inode, at, size, disk in shared:
            is_name = (volume, inode) in linked
            if (volume, at) in seen:
                found.append(Sum(group_of(key), -is_name, -size * is_name, -disk))
            seen.add((volume, at))
            linked.add((volume, inode))
        return found

    def uses(self) -> Iterator[tuple[bytes, str]]:
        """Yield the path of each file of which an inventory says that something uses it, and what; a stock has none."""
        yield from ()

    def kinds(self) -> list[str]:
        """Return the kinds of the files that are known."""
        return [kind for (kind,) in self._db.execute("SELECT DISTINCT kind FROM files ORDER BY kind")]

    def has_folder(self, path: bytes) -> bool:
        """Tell whether a folder, or one below it, is known."""
        found = self._db.execute(f"SELECT 1 FROM folders d WHERE {BELOW} LIMIT 1", bounds(path)).fetchone()
        return found is not None

    def in_folders(self) -> dict[bytes, int]:
        """Return how many names lie directly in each folder, those without any included."""
        return dict(
            self._db.execute(
                "SELECT d.path, coalesce(n, 0) FROM folders d LEFT JOIN"
                " (SELECT folder, count(*) AS n FROM files GROUP BY folder) ON folder = d.id"
            )
        )

    def paths_of_kind(self, kind: str) -> list[bytes]:
        """Return the paths of the files of a kind."""
        rows = self._db.execute(
            "SELECT d.path, f.name FROM files f JOIN folders d ON d.id = f.folder WHERE f.kind = ?"
            " ORDER BY d.path, f.name",
            (kind,),
        )
        return [join(folder, name) for folder, name in rows]

    def masters(self, sidecar: bytes) -> list[bytes]:
        """Return the files that a sidecar belongs to: ``kite.jpg`` for ``kite.xmp`` or ``kite.jpg.xmp``."""
        folder, name = os.path.split(sidecar)
        found = []
        for stem in sidecar_stems(name):
            # Bytes compare as memory does, and the slash follows the dot.
            rows = self._db.execute(
                "SELECT name FROM files WHERE folder = (SELECT id FROM folders WHERE path = ?) AND kind <> 'sidecar'"
                " AND name >= ? AND name < ? ORDER BY name",
                (folder, stem, stem + b"/"),
            )
            found += [join(folder, other) for (other,) in rows if stem in owner_names(other)]
        return found
