"""Albums: folders of music that stay whole, though another one shares some of their tunes."""

from collections import Counter
from collections.abc import Sequence
from itertools import combinations

from foldkeep.model import StockFile
from foldkeep.stock import Stock

_FEWEST = 3
_MOST_FOLDERS = 20  # a tune in more folders than that says nothing of albums


class Albums:
    """Tells which copies of a tune belong to albums of their own: first `note` every set, then ask."""

    def __init__(self, stock: Stock) -> None:
        self._held: Counter[bytes] = Counter()
        self._shared: Counter[tuple[bytes, bytes]] = Counter()
        self._stock = stock

    def note(self, tied: Sequence[StockFile]) -> None:
        """Count the folders that share a tune."""
        if not self._held:
            self._held.update(map(_folder, self._stock.listing.paths_of_kind("audio")))
        folders = sorted({_folder(copy.path) for copy in tied})
        if len(folders) <= _MOST_FOLDERS:
            self._shared.update(combinations(folders, 2))

    def whole(self, tied: Sequence[StockFile]) -> list[StockFile]:
        """Return the copies in albums neither of which lies whole in the other."""
        folders = sorted({_folder(copy.path) for copy in tied})
        if len(folders) > _MOST_FOLDERS:
            return []
        apart = {
            folder
            for pair in combinations(folders, 2)
            if _FEWEST <= min(self._held[each] for each in pair) > self._shared[pair]
            for folder in pair
        }
        return [copy for copy in tied if _folder(copy.path) in apart]


def _folder(path: bytes) -> bytes:
    return path.rpartition(b"/")[0] or b"/"
