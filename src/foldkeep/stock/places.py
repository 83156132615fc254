"""The places of a stock and the volumes that they lie on."""

import json
import sqlite3
from collections.abc import Iterable

from foldkeep.model import Place, Role, Volume
from foldkeep.model.disks import Disks
from foldkeep.model.names import innermost
from foldkeep.model.remote import SOMEBODY_ELSE, Quota, side_of
from foldkeep.model.volumes import Capabilities

_COLUMNS = "id, path, role, label, volume, inode, asked, scanned_ns, below, mark, disk"

_WITH_PATHS = {
    "places": ("path",), "folders": ("path",), "gone": ("path",), "archives": ("package", "made_at", "project"),
    "archived_files": ("path",), "run_files": ("place", "path", "keeper", "target"),
    "checks": ("subject",),
}  # fmt: skip
"""The columns that hold absolute paths."""


class Places:
    """The places that the user has told Fold Keep about."""

    def __init__(self, connection: sqlite3.Connection) -> None:
        self._db = connection

    def all(self) -> list[Place]:
        """Return every place in order of path."""
        rows = self._db.execute(f"SELECT {_COLUMNS} FROM places ORDER BY path")
        return [
            Place(id_, path, Role(role), label, volume, inode, frozenset(filter(None, asked.split(","))), *rest)
            for id_, path, role, label, volume, inode, asked, *rest in rows
        ]

    def columns(self, table: str) -> list[tuple[str, str]]:
        """Return name and type of the columns of a table."""
        return [(name, type_) for _, name, type_, *_ in self._db.execute(f"PRAGMA table_info({table})")]

    def rows(self, table: str) -> list[tuple[object, ...]]:
        """Return the rows of a table as they are."""
        return self._db.execute(f"SELECT * FROM {table}").fetchall()

    def by_id(self) -> dict[int, Place]:
        """Return every place under its number."""
        return {place.id: place for place in self.all()}

    def add(self, path: bytes, role: Role, label: str, volume: int, inode: int) -> Place:
        """Put a new place into the stock; a label that another place has gets a number."""
        (id_,) = self._db.execute(
            "INSERT INTO places (path, role, label, volume, inode, asked) VALUES (?, ?, ?, ?, ?, '') RETURNING id",
            (path, role, self._free_label(label), volume, inode),
        ).fetchone()
        return self.by_id()[id_]

    def _free_label(self, label: str) -> str:
        taken = {place.label for place in self.all()}
        free, number = label, 2
        while free in taken:
            free, number = f"{label}-{number}", number + 1
        return free

    def change(self, place: Place) -> None:
        """Write a place as it is given over what the stock has under its number."""
        self._db.execute(
            "UPDATE places SET role = ?, label = ?, volume = ?, inode = ?, asked = ?, scanned_ns = ?,"
            " below = ?, mark = ?, disk = ? WHERE id = ?",
            (place.role, place.label, place.volume, place.inode, ",".join(sorted(place.asked)), place.scanned_ns,
             place.below, place.mark, place.disk, place.id),
        )  # fmt: skip

    def relocate(self, place: Place, path: bytes) -> None:
        """Have all that is known of a place, and of those within it, be true of another path: its drive is there now.

        The ledger's runs go along, so that they can be taken back there; dockets are told by `paths_now`.
        """
        for table, columns in _WITH_PATHS.items():
            for column in columns:
                self._db.execute(
                    f"UPDATE {table} SET {column} = CAST(? || substr({column}, ?) AS BLOB)"
                    f" WHERE {column} = ? OR ({column} > ? AND {column} < ?)",
                    (path, len(place.path) + 1, place.path, place.path + b"/", place.path + b"0"),
                )
        self._db.execute("DELETE FROM former_paths WHERE path = ?", (path,))
        self._db.execute("INSERT OR REPLACE INTO former_paths VALUES (?, ?)", (place.path, place.id))

    def change_volume(self, former: int, volume: int, path: bytes) -> None:
        """Have the place at a path, those within it and their files lie on another volume than a former one."""
        if former == volume:
            return
        for table in ("places", "folders", "gone"):
            self._db.execute(
                f"UPDATE {table} SET volume = ? WHERE volume = ? AND (path = ? OR (path > ? AND path < ?))",
                (volume, former, path, path + b"/", path + b"0"),
            )
        self._db.execute(
            "UPDATE files SET volume = d.volume FROM folders d WHERE d.id = files.folder AND files.volume = ?"
            " AND d.volume = ?",
            (former, volume),
        )

    def paths_now(self, paths: Iterable[bytes]) -> list[bytes]:
        """Return where files are now of which paths are known from before their drive was mounted elsewhere."""
        places = self.by_id()
        former = dict(self._db.execute("SELECT path, place FROM former_paths").fetchall())
        tops = {place.path for place in places.values()}

        def now(path: bytes) -> bytes:
            top = None if innermost(tops, path) else innermost(former, path)
            return places[former[top]].path + path[len(top) :] if top and former[top] in places else path

        return list(map(now, paths) if former else paths)

    def forget(self, place: Place) -> None:
        """Take a place and all that is known of its files out of the stock; the ledger keeps its runs."""
        self._db.execute("DELETE FROM files WHERE folder IN (SELECT id FROM folders WHERE place = ?)", (place.id,))
        self._db.execute("DELETE FROM folders WHERE place = ?", (place.id,))
        self._db.execute("DELETE FROM former_paths WHERE place = ?", (place.id,))
        self._db.execute("DELETE FROM quotas WHERE place = ?", (place.id,))
        self._db.execute("DELETE FROM separate_places WHERE ? IN (one, other)", (place.id,))
        self._db.execute("DELETE FROM places WHERE id = ?", (place.id,))

    def volume(self, key: str, name: str) -> int:
        """Return the number of the volume with this key, new if need be; its name is brought up to date."""
        (id_,) = self._db.execute(
            "INSERT INTO volumes (key, name) VALUES (?, ?) ON CONFLICT (key) DO UPDATE SET name = excluded.name"
            " RETURNING id",
            (key, name),
        ).fetchone()
        return int(id_)

    def volumes(self) -> dict[int, Volume]:
        """Return every volume under its number."""
        return {
            id_: Volume(
                id_, key, name, Capabilities.from_known(json.loads(known)) if known else None, Disks.from_known(disks)
            )
            for id_, key, name, known, disks in self._db.execute(
                "SELECT id, key, name, capabilities, disks FROM volumes"
            )
        }

    def set_capabilities(self, volume: int, capabilities: Capabilities) -> None:
        """Write down what a volume can do, as it was tried out."""
        self._db.execute("UPDATE volumes SET capabilities = ? WHERE id = ?", (json.dumps(capabilities.known()), volume))

    def set_disks(self, volume: int, disks: Disks) -> None:
        """Write down which disks a volume is on, as it was found out."""
        self._db.execute("UPDATE volumes SET disks = ? WHERE id = ?", (disks.known(), volume))

    def own_sizes(self) -> dict[int, int]:
        """Return, for each place with files, the bytes of those that are not somebody else's on a server."""
        rows = self._db.execute("SELECT place, sum(size) FROM files WHERE owner <> ? GROUP BY place", (SOMEBODY_ELSE,))
        return dict(rows.fetchall())

    def set_quota(self, place: int, quota: Quota | None, asked_ns: int) -> None:
        """Write down what space a server gives a place; None for one that does not tell."""
        self._db.execute("DELETE FROM quotas WHERE place = ?", (place,))
        if quota:
            self._db.execute("INSERT INTO quotas VALUES (?, ?, ?, ?)", (place, quota.used, quota.available, asked_ns))

    def quotas(self) -> dict[int, Quota]:
        """Return the space that servers gave places when they were last asked, by the numbers of these."""
        rows = self._db.execute("SELECT place, used, available FROM quotas")
        return {place: Quota(used, available) for place, used, available in rows}

    def separate(self, one: Place, other: Place) -> None:
        """Note that no program keeps two places alike, so that copies in both are two files."""
        pair = sorted((one.id, other.id))
        self._db.execute("INSERT OR IGNORE INTO separate_places VALUES (?, ?)", pair)

    def keep_alike(self, one: Place, other: Place) -> None:
        """Take back what `separate` noted."""
        self._db.execute("DELETE FROM separate_places WHERE one = ? AND other = ?", sorted((one.id, other.id)))

    def are_separate(self, one: Place, other: Place) -> bool:
        """Tell whether copies in two places are surely two files: both on this machine, or on one server, or said so.

        A program may keep a folder here and one on a server alike; what goes from one goes from the other then.
        """
        if side_of(one.path) == side_of(other.path):
            return True
        pair = sorted((one.id, other.id))
        found = self._db.execute("SELECT 1 FROM separate_places WHERE one = ? AND other = ?", pair).fetchone()
        return found is not None

    def sizes(self) -> dict[int, tuple[int, int]]:
        """Return, for each place with files, how many the stock knows there and their bytes.

        Hard links to one file count once.
        """
        rows = self._db.execute(
            "SELECT place, count(*), sum(size) FROM (SELECT place, size FROM files WHERE links <= 1 UNION ALL"
            " SELECT place, max(size) FROM files WHERE links > 1 GROUP BY place, volume, inode) GROUP BY place"
        )
        return {place: (count, size) for place, count, size in rows}
