"""What a docket proposes, summed by folder: from where files go, why, and where their keepers stay."""

from collections import Counter, defaultdict
from collections.abc import Iterable, Iterator
from typing import NamedTuple

from foldkeep.model import Action, DocketRow


class Going(NamedTuple):
    """A file that goes: its path, its size in bytes, why, and the path of what stays for it; empty if nothing does."""

    path: bytes
    size: int
    reason: str
    keeper: bytes


class FolderSum(NamedTuple):
    """What goes from a folder.

    Attributes
    ----------
    files, size
        How many files go, and their sizes together in bytes.
    reasons, keepers
        How many go for each reason, and for keepers in each folder; the most frequent first.
    """

    folder: bytes
    files: int
    size: int
    reasons: list[tuple[str, int]]
    keepers: list[tuple[bytes, int]]


class FolderSums:
    """Sums of what goes, by folder; kept while dockets of millions of rows stream by."""

    def __init__(self, going: Iterable[Going] = ()) -> None:
        self._bytes: Counter[bytes] = Counter()
        self._reasons: dict[bytes, Counter[str]] = defaultdict(Counter)
        self._keepers: dict[bytes, Counter[bytes]] = defaultdict(Counter)
        for each in going:
            self._add(*each)

    def _add(self, path: bytes, size: int, reason: str, keeper: bytes) -> None:
        folder = path.rpartition(b"/")[0]
        self._bytes[folder] += size
        self._reasons[folder][reason] += 1
        if keeper:
            self._keepers[folder][keeper.rpartition(b"/")[0]] += 1

    def counted(self, rows: Iterable[DocketRow]) -> Iterator[DocketRow]:
        """Yield rows of a docket, those of a set one after the other and its keeper first, and count what goes."""
        of_set, keeper = "", b""
        for row in rows:
            if row.set != of_set:
                of_set, keeper = row.set, row.path if row.action is not Action.FOLD else b""
            if row.action is Action.FOLD:
                self._add(row.path, row.size, row.reason, keeper)
            yield row

    def sums(self) -> list[FolderSum]:
        """Return the sums, the largest first."""
        return [
            FolderSum(
                folder or b"/", self._reasons[folder].total(), size, self._reasons[folder].most_common(),
                self._keepers[folder].most_common(),
            )
            for folder, size in sorted(self._bytes.items(), key=lambda each: (-each[1], each[0]))
        ]  # fmt: skip
