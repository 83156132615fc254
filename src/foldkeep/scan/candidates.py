"""Files that may have a content: those of its size with its first and last block."""

from foldkeep.model import PathBytes, StockFile
from foldkeep.model.remote import is_remote
from foldkeep.stock import Reading, Stock

from .reading import Meter, ends_at, read_ends

_MOST_UNREADABLE = 3  # that are given of a size: each would be tried again for every content that is looked for


class Candidates:
    """Looks up files that may have a content; the ends of what no scan read yet are read once."""

    def __init__(self, stock: Stock) -> None:
        self._stock = stock
        self._read: dict[int, dict[int | None, list[StockFile]]] = {}

    def like(self, path: PathBytes, size: int) -> list[StockFile]:
        """Return the files that may have the content of one on this machine, that among them if the stock knows it.

        Raises
        ------
        OSError
            If the file itself cannot be read.
        """
        ends = ends_at(path, size)
        read = self._ends_read(size)
        found = [*self._stock.holdings.with_ends(size, ends), *read.get(ends, ()), *read.get(None, ())]
        return sorted(found, key=lambda file: file.path) if read else found

    def _ends_read(self, size: int) -> dict[int | None, list[StockFile]]:
        """Return the files of a size whose ends the stock does not have, by their ends; None: they cannot be read."""
        if size not in self._read:
            by_ends = self._read[size] = {}
            for file in self._stock.holdings.without_ends(size):
                ends = _ends_of(file)
                known = by_ends.setdefault(ends, [])
                if ends is not None or len(known) < _MOST_UNREADABLE:
                    known.append(file)
        return self._read[size]


def _ends_of(file: StockFile) -> int | None:
    if is_remote(file.path):
        return read_ends(Reading((), file.path, file.size, file.modified_ns, file.inode), Meter()).ends
    try:
        return ends_at(file.path, file.size)
    except OSError:
        return None
