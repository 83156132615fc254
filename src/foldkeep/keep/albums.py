"""Albums: folders of music that stay whole, with their covers, though another one shares some of their tunes."""

from collections import Counter, defaultdict
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
        self._stock = stock
        self._homes: dict[bytes, bytes] = {}

    @cached_property
    def _held(self) -> Counter[bytes]:
        """How many tunes lie in each folder."""
        return Counter(map(_folder, self._stock.listing.paths_of_kind("audio")))

    @cached_property
    def _music(self) -> set[bytes]:
        """The folders of music: with several tunes, and more of them than pictures, which may have spoken notes."""
        some = {folder for folder, tunes in self._held.items() if tunes >= _FEWEST}
        pictures = Counter(map(_folder, self._stock.listing.paths_of_kind("photo"))) if some else Counter[bytes]()
        return {folder for folder in some if self._held[folder] > pictures[folder]}

    @cached_property
    def _common(self) -> Counter[tuple[bytes, bytes]]:
        """How many tunes two folders have in common."""
        folders: dict[bytes, set[bytes]] = defaultdict(set)
        for path, kind, digest in self._stock.listing.named_contents():
            if kind == "audio" and digest:
                folders[digest].add(_folder(path))
        shared = (sorted(each) for each in folders.values() if 1 < len(each) <= _MOST_FOLDERS)
        return Counter(pair for each in shared for pair in combinations(each, 2))

    def note(self, tied: Sequence[StockFile]) -> None:
        """Count the folders that share a tune."""
        folders = sorted({_folder(copy.path) for copy in tied})
        if len(folders) <= _MOST_FOLDERS:
            self._shared.update(combinations(folders, 2))

    def covers(self, pictures: Sequence[StockFile]) -> list[StockFile]:
        """Return the pictures of one content that stay with music: covers of albums that do not lie whole in the album
        of another one.
        """
        homes = {copy.path: self._home(copy.path) for copy in pictures} if self._music else {}
        return [
            copy
            for copy in pictures
            if homes.get(copy.path)
            and not any(
                self._lies_whole_in(homes[copy.path], homes[other.path]) for other in pictures if other is not copy
            )
        ]

    def with_music(self, pictures: Sequence[StockFile]) -> list[StockFile]:
        """Return those of some pictures that lie with music."""
        return [copy for copy in pictures if self._home(copy.path)] if self._music else []

    def _home(self, path: bytes) -> bytes:
        """Return the folder of music that a picture belongs to, its own or the one around that; empty if none."""
        folder = _folder(path)
        if folder not in self._homes:
            self._homes[folder] = next((each for each in (folder, _folder(folder)) if each in self._music), b"")
        return self._homes[folder]

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
