"""Files of many machines one by one, and summed up."""

import sqlite3
from collections import defaultdict
from collections.abc import Iterable, Iterator, Sequence
from functools import cached_property
from itertools import groupby
from typing import Any, cast

from foldkeep.formats.columns import text
from foldkeep.model import Filter, StockFile
from foldkeep.model.companions import owner_names, sidecar_stems

from ..files import join
from ..filtering import FILTERABLE, condition
from ..listing import DAY_NS, Listing, Sum
from .connection import Connection

# The end of a name as `Listing` has it. What is no text has no parts here, but its hexadecimal digits do.
_END = (
    "CASE WHEN substr(hex(f.name), -8, 2) = '2E' AND octet_length(f.name) > 4 THEN unhex(substr(hex(f.name), -10))"
    " ELSE f.name END"
)
_DAY = f"f.modified_ns // {DAY_NS}"
_KEYS = {
    "kind": ("f.kind",), "end": (_END,), "day": (_DAY,), "place": ("f.place",), "volume": ("f.volume",),
    "owner": ("f.owner",), "folder": ("f.folder",), "folder and kind": ("f.folder", "f.kind"),
    "folder and day": ("f.folder", _DAY),
}  # fmt: skip


class ListingOfMany(Listing):
    """Looks up files as `Listing` does, where a question for each folder or file would read all of them."""

    def __init__(self, asked: Connection) -> None:
        super().__init__(cast("sqlite3.Connection", asked))
        self._asked = asked

    def folders(self) -> dict[int, bytes]:
        """Return the path of every folder under its number."""
        return dict(enumerate(path for (path,) in self._db.execute("SELECT path FROM folders ORDER BY path")))

    @cached_property
    def _numbers(self) -> dict[bytes, int]:
        return {path: number for number, path in self.folders().items()}

    def sums(self, by: str, wanted: Filter) -> list[Sum]:
        """Return the files that fit, summed up as `Listing.sums` does."""
        columns = ", ".join(_KEYS[by])
        return self._summed(columns, columns, "f.folder, f.name", wanted, lambda key: self._key(by, key))

    def _key(self, by: str, key: Sequence[Any]) -> Any:
        if not by.startswith("folder"):
            return key[0]
        number = self._numbers[key[0]]
        return number if len(key) == 1 else f"{number} {key[1]}"

    def compare_below(self, stems: Iterable[tuple[bytes, bytes]], wanted: Filter) -> None:
        """Have the files that fit ready as ``compared``, by what stands before the names in each folder."""
        self._asked.fill("stems", ("folder", "stem"), stems)
        fits, values = condition(self._db, wanted)
        what = "VIEW" if not wanted else "TABLE"  # a view takes no values
        self._db.execute(
            f"CREATE {what} compared AS SELECT s.stem, f.name, f.size, f.modified_ns, f.kind, f.ends, f.digest"
            f" FROM {FILTERABLE} JOIN stems s ON s.folder = f.folder WHERE {fits}",
            values,
        )

    def uses(self) -> Iterator[tuple[bytes, str]]:
        """Yield the path of each file that something uses on its machine, and what."""
        rows = self._db.execute("SELECT folder, name, used FROM files WHERE used IS NOT NULL")
        return ((join(folder, name), used) for folder, name, used in rows)

    def signals(self) -> Iterator[tuple[bytes, str]]:
        """Yield contents with what was measured of each, as JSON; a content comes once for each file that has it."""
        rows = self._db.execute("SELECT digest, signals FROM files WHERE signals IS NOT NULL AND digest IS NOT NULL")
        return ((bytes(digest), said) for digest, said in rows)

    def of_digests(self, digests: Iterable[bytes]) -> dict[bytes, list[StockFile]]:
        """Return the files that have contents as `Listing.of_digests` does, by one question."""
        found: dict[bytes, list[StockFile]] = {digest: [] for digest in digests}
        self._ask_about("sought", found)
        for file in sorted(self._where("f.digest IN (SELECT digest FROM sought)", ()), key=lambda file: file.path):
            found[bytes(file.digest or b"")].append(file)
        return found

    def contents_but(self, digests: Iterable[bytes], kinds: Iterable[str]) -> int:
        """Return how many contents there are of some kinds, but for those given."""
        self._ask_about("known", digests)
        row = self._db.execute(
            f"SELECT count(DISTINCT digest) FROM files WHERE kind IN ({', '.join(map(text, kinds))})"
            " AND digest IS NOT NULL AND digest NOT IN (SELECT digest FROM known)"
        ).fetchone()
        return int(row[0])

    def _ask_about(self, table: str, digests: Iterable[bytes]) -> None:
        self._asked.execute(f"DROP TABLE IF EXISTS {table}")
        self._asked.fill(table, ("digest",), ((digest,) for digest in digests))

    @cached_property
    def _beside_sidecars(self) -> dict[bytes, list[bytes]]:
        """Return the names of other files in each folder that has sidecars."""
        found = defaultdict(list)
        for folder, name in self._db.execute(
            "SELECT f.folder, f.name FROM files f WHERE f.kind <> 'sidecar'"
            " AND f.folder IN (SELECT folder FROM files WHERE kind = 'sidecar') ORDER BY f.folder, f.name"
        ):
            found[folder].append(name)
        return found

    def masters(self, sidecar: bytes) -> list[bytes]:
        """Return the files that a sidecar belongs to."""
        folder, _, name = sidecar.rpartition(b"/")
        beside = self._beside_sidecars.get(folder or b"/", ())
        return [
            join(folder or b"/", other)
            for stem in sidecar_stems(name)
            for other in beside
            if stem <= other < stem + b"/" and stem in owner_names(other)
        ]

    def by_folder(
        self, wanted: Filter, takes: Any = bool
    ) -> Iterator[tuple[bytes, int, list[tuple[bytes, str, int, int, int]]]]:
        """Yield every folder that has files, as `Listing.by_folder` does."""
        fits, values = condition(self._db, wanted)
        rows = self._db.execute(
            f"SELECT f.folder, f.place, f.name, f.kind, f.size, f.modified_ns, {fits} FROM {FILTERABLE}"
            " ORDER BY f.folder, f.name",
            values,
        )
        for (path, place), group in groupby(rows, key=lambda row: row[:2]):
            if takes(path):
                yield path, place, [row[2:] for row in group]
