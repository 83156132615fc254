"""What a docket proposes, summed by folder: from where files go, why, and where their keepers stay."""

from collections import Counter, defaultdict
from collections.abc import Iterable, Iterator
from itertools import groupby
from operator import attrgetter
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
            self.add(each)

    def add(self, file: Going) -> None:
        """Count a file that goes."""
        folder = _folder(file.path)
        self._bytes[folder] += file.size
        self._reasons[folder][file.reason] += 1
        if file.keeper:
            self._keepers[folder][_folder(file.keeper)] += 1

    def counted(self, rows: Iterable[DocketRow]) -> Iterator[DocketRow]:
        """Yield rows of a docket, those of a set one after the other, and count what they propose to fold."""
        for _, of_set in groupby(rows, attrgetter("set")):
            found = list(of_set)
            stays = sorted((row for row in found if row.action is not Action.FOLD), key=_is_no_keeper)
            for row in found:
                if row.action is Action.FOLD:
                    self.add(Going(row.path, row.size, row.reason, stays[0].path if stays else b""))
            yield from found

    def sums(self) -> list[FolderSum]:
        """Return the sums, the largest first."""
        return [
            FolderSum(
                folder, self._reasons[folder].total(), size, self._reasons[folder].most_common(),
                self._keepers[folder].most_common(),
            )
            for folder, size in sorted(self._bytes.items(), key=lambda each: (-each[1], each[0]))
        ]  # fmt: skip


def _folder(path: bytes) -> bytes:
    return path.rpartition(b"/")[0] or b"/"


def _is_no_keeper(row: DocketRow) -> bool:
    return row.action is not Action.KEEP
