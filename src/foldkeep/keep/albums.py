"""Albums: folders of music that stay whole, with their covers, though another one shares some of their tunes."""

from collections import Counter
from collections.abc import Sequence
from functools import cached_property
from itertools import combinations

from foldkeep.model import StockFile
from foldkeep.stock import Stock

_FEWEST = 3
_MOST_FOLDERS = 20  # a tune in more folders than that says nothing of albums


class Albums:
    """Tells which copies of a tune belong to albums of their own: first `note` every set, then ask."""

    def __init__(self, stock: Stock) -> None:
        self._shared: Counter[tuple[bytes, bytes]] = Counter()
        self._common: Counter[tuple[bytes, bytes]] = Counter()
        self._stock = stock

    @cached_property
    def _held(self) -> Counter[bytes]:
        """How many tunes lie in each folder."""
        return Counter(map(_folder, self._stock.listing.paths_of_kind("audio")))

    def note(self, copies: Sequence[StockFile], tied: Sequence[StockFile]) -> None:
        """Count the folders that share a tune, with all its copies and with those between which no rule decides."""
        for counts, some in ((self._common, copies), (self._shared, tied)):
            folders = sorted({_folder(copy.path) for copy in some})
            if len(folders) <= _MOST_FOLDERS:
                counts.update(combinations(folders, 2))

    def with_their_music(self, pictures: Sequence[StockFile]) -> list[StockFile]:
        """Return the pictures of one content that stay with music: covers of albums that do not lie in each other."""
        if not self.are_of_music(pictures):
            return []
        homes = {copy.path: self._home(copy.path) for copy in pictures}
        return [
            copy
            for copy in pictures
            if not any(
                self._lies_whole_in(homes[copy.path], homes[other.path]) for other in pictures if other is not copy
            )
        ]

    def are_of_music(self, pictures: Sequence[StockFile]) -> bool:
        """Tell whether each of some pictures lies with music."""
        return bool(self._held) and all(self._home(copy.path) for copy in pictures)

    def _home(self, path: bytes) -> bytes:
        """Return the folder of music that a picture belongs to, its own or the one around that; empty if none."""
        folder = _folder(path)
        return next((each for each in (folder, _folder(folder)) if self._held[each]), b"")

    def _lies_whole_in(self, one: bytes, other: bytes) -> bool:
        return one == other or self._held[one] == self._common[min(one, other), max(one, other)]

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
