"""Files of many machines that agree."""

from collections.abc import Iterator
from typing import Any

from foldkeep.model import Filter

from ..files import FILE_COLUMNS
from ..filtering import FILTERABLE, condition
from ..sets import Sets
from .connection import translated


class SetsOfMany(Sets):
    """Groups of files that agree, as `Sets` has them; the files of all of them come in one go."""

    _FILE = "(inode, volume)"
    _BLOCK = "(coalesce(~{extent}, inode), volume)"
    _LESS, _MORE = "least", "greatest"
    _ANY = "any_value({})"
    _IN_ORDER = " ORDER BY 1"
    _NUMBER = "(s.rowid + 1)"

    def _of_ranked(self) -> Iterator[tuple[Any, ...]]:
        yield from self._db.execute(
            f"SELECT {self._NUMBER} AS number, s.part, s.reclaimable, {FILE_COLUMNS} FROM {self._joined('ranked')}"
            " JOIN folders d ON d.id = f.folder ORDER BY number, d.path, f.name"
        )

    def folders(self, wanted: Filter) -> Iterator[tuple[int, bytes, int, int]]:
        """Yield every folder as `Sets.folders` does."""
        fits, values = condition(self._db, wanted)
        inside = translated(
            f"SELECT f.folder AS folder, count(*) AS n, sum(f.size) AS bytes FROM {FILTERABLE}"
            f" WHERE f.size > 0 AND {fits} GROUP BY f.folder"
        )
        yield from self._db.execute(
            "SELECT d.id, d.path, coalesce(n, 0), coalesce(bytes, 0) FROM folders d"
            f" LEFT JOIN ({inside}) AS within ON within.folder = d.id",
            values,
        )
