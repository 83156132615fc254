"""Keepers stay together: one choice for folders that hold the same shoot, not one for each file.

Every folder has a rank, and of copies in several folders the one in the folder of the highest rank stays. So
of two folders the same one wins for every file that they share, and a shoot is never split between them. The
more a folder holds, the higher it ranks: a folder that lies whole in another one gives way and empties. Of
folders that hold as much, those rank higher in which more copies are what the next rules prefer.

A folder of which others together hold all counts as less than those, if they hold little else, or lie in one tree and
are mostly made of it: somebody sorted it into them. If they hold much else, and its name says something, it is a
selection from them: a work of its own.

Copies of whole trees are ranked by the folders at their tops: where ``a/raw`` and ``b/raw`` share files, and so do
``a/jpeg`` and ``b/jpeg``, all of it goes by ``a`` and ``b``, so that what belongs together in a tree stays together.
"""

import os
from collections import Counter, defaultdict
from collections.abc import Iterable, Mapping, Sequence
from functools import lru_cache
from itertools import combinations, permutations

from foldkeep.model import StockFile
from foldkeep.model.folder_names import dump_of, says_what
from foldkeep.model.names import folders_above, lies_below

from .rules import Rule

_WHOLE = 0.9  # of a folder, without what lies in every one: lists, previews, a stray
_MOST_FOLDERS = 20  # a content in more folders than that says nothing of any two


class _Tally:
    """Counts of a folder, first of the files directly in it and in the end of all below it."""

    __slots__ = ("held", "preferred", "ties")

    def __init__(self, rules: int, held: int = 0) -> None:
        self.held = held
        self.ties = 0
        self.preferred = [0] * rules

    def add(self, other: "_Tally") -> None:
        self.held += other.held
        self.ties += other.ties
        self.preferred = [one + more for one, more in zip(self.preferred, other.preferred, strict=True)]


class FolderRanks:
    """Ranks of folders, from the ties between them: first `note` every set, then ask.

    Parameters
    ----------
    files
        How many files the stock knows directly in each folder.
    rules
        What decides between folders that hold as much, in this order.
    """

    def __init__(self, files: Mapping[bytes, int], rules: Sequence[Rule]) -> None:
        self.rules = rules
        self._tallies = {folder: _Tally(len(rules), count) for folder, count in files.items()}
        self._summed: dict[bytes, _Tally] | None = None
        self._directly = dict(files)
        self._sorted: dict[bytes, bool] = {}
        self._selected: dict[bytes, bool] = {}
        self._shared: dict[bytes, Counter[bytes]] = defaultdict(Counter)
        self._asked: dict[tuple[bytes, ...], list[tuple[tuple[float, ...], bytes]]] = {}
        self._inner: dict[tuple[bytes, ...], set[bytes]] = defaultdict(set)
        """For tops of trees that share files, the folders below the first of them that do."""

    def note(self, tied: Sequence[StockFile], spared: Iterable[StockFile]) -> None:
        """Count a set: the copies among which the rules before left a tie, and those they decided against."""
        preferred = [{copy.path for copy in rule.narrow(tied)} for rule in self.rules]
        counts = [[int(copy.path in paths) for copy in tied] for paths in preferred]
        self.note_many(tied, spared, 1, counts)

    def note_many(
        self, tied: Sequence[StockFile], spared: Iterable[StockFile], times: int, preferred: Sequence[Sequence[int]]
    ) -> None:
        """Count so many sets in the folders of one of them; `preferred` has for each rule how often it takes each."""
        for copy in spared:
            # What goes anyway is nothing that its folder holds.
            self._tallies[_folder(copy)].held -= times
        self._asked.clear()
        folders = sorted({_folder(copy) for copy in tied})
        if len(folders) < 2:
            return
        if len(folders) <= _MOST_FOLDERS:
            for one, other in permutations(folders, 2):
                self._shared[one][other] += times
        self._inner[_tops(tuple(folders))].add(folders[0])
        for number, copy in enumerate(tied):
            tally = self._tallies[_folder(copy)]
            tally.ties += times
            for at, counts in enumerate(preferred):
                tally.preferred[at] += counts[number]

    def narrow(self, copies: Sequence[StockFile]) -> list[StockFile]:
        """Return the copies in the folder of the highest rank."""
        best, *_ = self._ranked(copies)
        return [copy for copy in copies if _folder(copy) == best[1]]

    def words(self, copies: Sequence[StockFile]) -> tuple[str, dict[bytes, str]]:
        """Return why the folder of the highest rank stays, and the others, by path of each copy, give way."""
        (best, _), (second, _), *_ = self._ranked(copies)
        at = next((at for at, key in enumerate(best) if key != second[at]), None)
        kept, spared = ("first by name", "later by name") if at is None else self._words(at)
        said = f"its folder gives way to the keeper's: {spared}"
        return f"its folder stays together: {kept}", {copy.path: said for copy in copies}

    def _ranked(self, copies: Sequence[StockFile]) -> list[tuple[tuple[float, ...], bytes]]:
        """Return the ranks of the folders of some copies, each with its folder, the highest first."""
        folders = tuple(sorted({_folder(copy) for copy in copies}))
        if folders not in self._asked:
            tops = _tops(folders) if len(folders) > 1 else folders
            if len(folders) > 1 and len(self._inner[tops]) < 2:
                tops = folders
            ranks = [(self._was_sorted(folder), *self._rank(top)) for folder, top in zip(folders, tops, strict=True)]
            self._asked[folders] = sorted(zip(ranks, folders, strict=True))
        return self._asked[folders]

    def _was_sorted(self, folder: bytes) -> bool:
        """Tell whether several other folders together hold what lies in a folder, and are mostly made of it."""
        if folder not in self._sorted:
            shared = self._shared_with(folder)
            whole = {other: count for other, count in shared.items() if count >= _WHOLE * self._directly.get(other, 0)}
            self._sorted[folder] = self._was_dealt_out(folder, whole) or (
                _in_one_tree(folder, shared) and self._is_most_of(shared) and self._was_dealt_out(folder, shared)
            )
        return self._sorted[folder]

    def is_in_selection(self, copy: StockFile) -> bool:
        """Tell whether a copy lies in a selection, if every set was noted."""
        return self._is_selection(_folder(copy))

    def _is_selection(self, folder: bytes) -> bool:
        """Tell whether a folder is somebody's choice from several others: all of it lies there, few of many, and its
        name says what it is.
        """
        if folder not in self._selected:
            shared, name, held = self._shared_with(folder), os.path.basename(folder), self._directly.get(folder, 0)
            self._selected[folder] = (
                says_what(name) > 0
                and not dump_of(name)
                and not any(os.path.basename(other) == name and 2 * count >= held for other, count in shared.items())
                and len(shared) > 1
                and not any(self._holds_all_of(other, folder) for other in self._shared[folder])
                and sum(shared.values()) >= _WHOLE * held
                and not self._is_most_of(shared)
            )
        return self._selected[folder]

    def _holds_all_of(self, one: bytes, other: bytes) -> bool:
        """Tell whether one folder holds all of another one and more, and is itself not sorted into others."""
        held = self._directly.get(other, 0)
        is_larger = _WHOLE * self._directly.get(one, 0) > held
        return is_larger and self._shared[other][one] >= _WHOLE * held and not self._was_sorted(one)

    def _shared_with(self, folder: bytes) -> dict[bytes, int]:
        """Return how many files a folder shares with each other one that does not have all of it."""
        held = self._directly.get(folder, 0)
        return {other: count for other, count in self._shared[folder].items() if count < _WHOLE * held}

    def _was_dealt_out(self, folder: bytes, parts: Mapping[bytes, int]) -> bool:
        """Tell whether what lies in a folder was sorted into others; a file into each is no sorting."""
        return 2 * len(parts) <= self._directly.get(folder, 0) and self._make_it_up(folder, parts)

    def _make_it_up(self, folder: bytes, parts: Mapping[bytes, int]) -> bool:
        """Tell whether several folders, which share nothing with each other, together hold what lies in one."""
        held, ties = self._directly.get(folder, 0), self._tallies[folder].ties if folder in self._tallies else 0
        together = sum(parts.values())
        if len(parts) < 2 or not _WHOLE * held <= together <= ties:
            return False
        pairs = combinations(sorted(parts, key=lambda part: -parts[part])[:_MOST_FOLDERS], 2)
        return not any(self._shared[one][other] for one, other in pairs)

    def _is_most_of(self, parts: Mapping[bytes, int]) -> bool:
        return 2 * sum(parts.values()) >= sum(self._directly.get(part, 0) for part in parts)

    def _sums(self) -> dict[bytes, _Tally]:
        """Return the tallies of folders with everything below them."""
        if self._summed is None:
            self._summed = defaultdict(lambda: _Tally(len(self.rules)))
            for folder, tally in self._tallies.items():
                for above in (folder, *folders_above(folder)):
                    self._summed[above].add(tally)
        return self._summed

    def _rank(self, folder: bytes) -> tuple[float, ...]:
        tally = self._sums()[folder]
        return (-tally.held, *(-count / (tally.ties or 1) for count in tally.preferred))

    def _words(self, at: int) -> tuple[str, str]:
        if at == 0:
            return "sorted from another one", "sorted into several, which hold all of it"
        return ("holds more", "holds less") if at == 1 else (self.rules[at - 2].kept, self.rules[at - 2].spared)


def _in_one_tree(folder: bytes, others: Iterable[bytes]) -> bool:
    """Tell whether other folders lie in one tree that a folder is not in."""
    others = list(others)
    return len(others) > 1 and not lies_below(folder, os.path.commonpath(others))


def _folder(copy: StockFile) -> bytes:
    return copy.path.rpartition(b"/")[0] or b"/"


@lru_cache(4096)
def _tops(folders: tuple[bytes, ...]) -> tuple[bytes, ...]:
    """Return folders without the steps at the end that all of them share, as far as none comes to lie in another."""
    tops = list(folders)
    while len({os.path.basename(top) for top in tops}) == 1:
        above = [os.path.dirname(top) for top in tops]
        if len(set(above)) < len(tops) or any(lies_below(one, other) for one in above for other in above):
            break
        tops = above
    return tuple(tops)
