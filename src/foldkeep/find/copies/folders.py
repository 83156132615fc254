"""Which whole folders have the same files, lie whole in another one, or overlap.

For every folder X and every folder Y beside it (neither within the other) it is counted how many files below
X have a copy below Y. All of them: X is contained in Y. Contained both ways and equally often: the same. The
counting goes over patterns (files of one folder whose copies lie in the same other folders), not over files,
so that a shoot copied whole costs as much as one picture of it.
"""

from collections import Counter, defaultdict
from collections.abc import Callable, Iterable, Iterator
from enum import StrEnum
from itertools import groupby
from typing import NamedTuple

from foldkeep.model import Filter
from foldkeep.stock import Stock

from .content_sets import Question, duplicates

_MASK = (1 << 64) - 1
_MOST_KNOWN = 100_000
_ODD = 0x9E3779B97F4A7C15  # spreads small numbers over 64 bits, so that sums of them tell multisets apart


class Relation(StrEnum):
    """Relations of two folders."""

    SAME = "same"
    CONTAINED = "contained"
    OVERLAP = "overlap"


class FolderFacts(NamedTuple):
    """A folder with everything below it: how many files that are not empty, and their bytes."""

    path: bytes
    files: int
    bytes: int


class FolderMatch(NamedTuple):
    """Folders that share contents.

    Attributes
    ----------
    folders
        Two or more that are the same; or two, of which the first lies whole in the second (contained) or
        shares more of itself (overlap).
    shared_files, shared_bytes
        Files below the first that have a copy below each of the others.
    """

    relation: Relation
    folders: tuple[FolderFacts, ...]
    shared_files: int
    shared_bytes: int

    @property
    def share(self) -> float:
        """The shared files' part of the first folder, from 0 to 1."""
        return self.shared_files / self.folders[0].files


def compare_folders(
    stock: Stock, question: Question | None = None, *, same_names: bool = False, least_share: float = 0.5
) -> list[FolderMatch]:
    """Return folders that are the same, contained or overlap, most shared bytes first.

    Of two sides only the outermost folders are given: what follows from folders above is not said again. Empty files
    are left out of account.

    Parameters
    ----------
    question
        Which places are compared, and what is wanted: conditions on files say which are counted, those on
        folders, places and roles which pairs are given. Its `same` and `sort` are not used.
    same_names
        Take files for copies only if their paths below the two folders are the same as well.
    least_share
        Overlaps are given from this part of the smaller folder's files on.
    """
    asked = question or Question()
    # Conditions on files say what is counted, conditions on folders which pairs are given.
    counted = asked.wanted._replace(under=(), not_under=(), places=(), roles=())
    duplicates(stock, Question(across=asked.across, wanted=counted))
    tree = _Tree(stock, counted)
    shared = _Shared(tree, same_names)
    for _, group in groupby(stock.sets.copies(counted), key=lambda row: row[0]):
        shared.add(list(group))
    counts = shared.count()
    fitting = None if asked.wanted == counted else stock.sets.fitting_folders(asked.wanted)

    def fits(one: int, other: int) -> bool:
        return fitting is None or tree.path[one] in fitting or tree.path[other] in fitting

    contained = _contained(tree, counts, fits)
    matches = list(_whole(tree, counts, contained))
    loose = shared.count(lambda folder: contained.keys().isdisjoint(tree.chain(folder)))
    matches += _overlaps(tree, loose, least_share, fits)
    return sorted(matches, key=lambda match: (-match.shared_bytes, [folder.path for folder in match.folders]))


class _Tree:
    """The folders of the stock, by number, with sums over everything below them."""

    def __init__(self, stock: Stock, counted: Filter) -> None:
        rows = list(stock.sets.folders(counted))
        number_of = {path: number for number, path, _, _ in rows}
        self.path = {number: path for number, path, _, _ in rows}
        self.above = {
            number: number_of.get(path.rpartition(b"/")[0] or b"/") if path != b"/" else None
            for number, path, _, _ in rows
        }
        self.inner: dict[int, list[int]] = defaultdict(list)
        for folder, above in self.above.items():
            if above is not None:
                self.inner[above].append(folder)
        self._chains: dict[int, tuple[int, ...]] = {}
        self.files: Counter[int] = Counter()
        self.bytes: Counter[int] = Counter()
        for number, _, count, size in rows:
            if count:
                for folder in self.chain(number):
                    self.files[folder] += count
                    self.bytes[folder] += size

    def chain(self, folder: int) -> tuple[int, ...]:
        """Return a folder and all that hold it, innermost first."""
        if folder not in self._chains:
            above = self.above[folder]
            self._chains[folder] = (folder, *(self.chain(above) if above is not None else ()))
        return self._chains[folder]

    def facts(self, folder: int) -> FolderFacts:
        return FolderFacts(self.path[folder], self.files[folder], self.bytes[folder])


Pair = tuple[int, int]


class _Counts:
    """For pairs of folders: how many files below the first have a copy below the second, and their bytes."""

    def __init__(self) -> None:
        self.files: Counter[Pair] = Counter()
        self.bytes: Counter[Pair] = Counter()
        self.signature: Counter[int] = Counter()
        """For each folder, a number that tells the multiset of its files that have copies."""


class _Shared:
    """Patterns of sharing: files of one folder by the other folders that have copies of them."""

    def __init__(self, tree: _Tree, same_names: bool) -> None:
        self._tree = tree
        self._same_names = same_names
        self._patterns: dict[tuple[int, frozenset[int]], list[int]] = defaultdict(lambda: [0, 0])
        self._signature: Counter[int] = Counter()
        self._known: dict[tuple[int, ...], list[list[int]]] = {}

    def add(self, group: list[tuple[int, int, bytes, int, tuple[int, int]]]) -> None:
        """Take in all the names of one content."""
        if not self._same_names and len({row[4] for row in group}) == len(group):
            self._add_files(group)
            return
        for number, folder, name, size, identity in group:
            others = frozenset(
                row[1] for row in group if row[4] != identity and (not self._same_names or row[2] == name)
            )
            self._signature[folder] += number * _ODD & _MASK
            if others:
                pattern = self._patterns[folder, others]
                pattern[0] += 1
                pattern[1] += size

    def _add_files(self, group: list[tuple[int, int, bytes, int, tuple[int, int]]]) -> None:
        """Take in files of which each has one name: whatever lies in the same folders makes the same patterns."""
        folders = tuple([row[1] for row in group])
        patterns = self._known.get(folders)
        if patterns is None:
            apart = [frozenset(folders[:at] + folders[at + 1 :]) for at in range(len(folders))]
            patterns = [self._patterns[folder, others] for folder, others in zip(folders, apart, strict=True)]
            if len(self._known) < _MOST_KNOWN:
                self._known[folders] = patterns
        signature, size = group[0][0] * _ODD & _MASK, group[0][3]
        for folder, pattern in zip(folders, patterns, strict=True):
            self._signature[folder] += signature
            pattern[0] += 1
            pattern[1] += size

    def count(self, takes_part: Callable[[int], bool] = lambda _: True) -> _Counts:
        """Count over all pairs of folders above the patterns' own, for folders that take part."""
        found = _Counts()
        for folder, signature in self._signature.items():
            for above in self._tree.chain(folder):
                found.signature[above] += signature
        climb = self._in_step if self._same_names else self._all_above
        for (folder, others), (count, size) in self._patterns.items():
            if takes_part(folder):
                for pair in climb(folder, [other for other in others if takes_part(other)]):
                    found.files[pair] += count
                    found.bytes[pair] += size
        return found

    def _all_above(self, folder: int, others: list[int]) -> Iterator[Pair]:
        chain = self._tree.chain
        for one in chain(folder):
            holding = set(chain(one))
            beside: set[int] = set()
            for other in others:
                above = chain(other)
                if one not in above:
                    beside.update(step for step in above if step not in holding)
            if not beside:
                return
            yield from ((one, other) for other in beside)

    def _in_step(self, folder: int, others: list[int]) -> Iterator[Pair]:
        """Climb from both sides as long as the names of the folders left behind are the same."""
        tree = self._tree
        seen: set[Pair] = set()
        for start in others:
            one, other = folder, start
            while one != other and one not in tree.chain(other) and other not in tree.chain(one):
                seen.add((one, other))
                if _name(tree.path[one]) != _name(tree.path[other]):
                    break
                up, other_up = tree.above[one], tree.above[other]
                if up is None or other_up is None:
                    break
                one, other = up, other_up
        yield from seen


def _name(path: bytes) -> bytes:
    return path.rpartition(b"/")[2]


Fits = Callable[[int, int], bool]
"""Tells whether a pair of folders is asked about."""


def _contained(tree: _Tree, counts: _Counts, fits: Fits) -> dict[int, set[int]]:
    """Return the folders that lie whole in others, with those others."""
    found: dict[int, set[int]] = defaultdict(set)
    for (one, other), files in counts.files.items():
        if files == tree.files[one] and fits(one, other):
            found[one].add(other)
    return dict(found)


def _whole(tree: _Tree, counts: _Counts, contained: dict[int, set[int]]) -> Iterator[FolderMatch]:
    """Yield the folders that are the same, and those that lie whole in others.

    A pair is left out only where it lies in another one of the same two sides: what is said of two folders need not be
    said of those in them, but what a folder shares with a third is another matter.
    """
    sides = {one: _sides(tree, counts, contained, one) for one in contained}
    pairs = [(one, other) for one, others in sides.items() for other in others if not _is_said(tree, sides, one, other)]
    same = [pair for pair in pairs if _are_same(tree, counts, contained, *pair)]
    groups = _joined(same)
    for group in groups:
        folders = sorted((tree.facts(folder) for folder in group), key=lambda facts: facts.path)
        one = min(group)
        yield FolderMatch(Relation.SAME, tuple(folders), tree.files[one], tree.bytes[one])
    twins = {folder: group for group in groups for folder in group}
    for one, other in sorted(set(pairs).difference(same)):
        # Of folders that are the same, one stands for all that lie in another.
        if not any(tree.path[twin] < tree.path[one] and other in sides.get(twin, ()) for twin in twins.get(one, ())):
            yield _match(tree, counts, Relation.CONTAINED, one, other)


def _are_same(tree: _Tree, counts: _Counts, contained: dict[int, set[int]], one: int, other: int) -> bool:
    return (
        one in contained.get(other, ())
        and tree.files[one] == tree.files[other]
        and counts.signature[one] & _MASK == counts.signature[other] & _MASK
    )


def _sides(tree: _Tree, counts: _Counts, contained: dict[int, set[int]], one: int) -> set[int]:
    """Return the folders to name for one that lies whole in them: the outermost of the same, else the innermost."""
    others = contained[one]
    same = {other for other in others if _are_same(tree, counts, contained, one, other)}
    outermost = {other for other in same if same.isdisjoint(tree.chain(other)[1:])}
    holding = {above for other in others for above in tree.chain(other)[1:]}
    return outermost | {other for other in others - same if other not in holding}


def _is_said(tree: _Tree, sides: dict[int, set[int]], one: int, other: int) -> bool:
    """Tell whether a pair lies in another one of the same two sides."""
    return any(above in sides and not sides[above].isdisjoint(tree.chain(other)) for above in tree.chain(one)[1:])


def _joined(pairs: Iterable[Pair]) -> list[set[int]]:
    """Return the folders of pairs in groups that have one in common."""
    group_of: dict[int, set[int]] = {}
    for one, other in pairs:
        joined = group_of.get(one, {one}) | group_of.get(other, {other})
        group_of |= dict.fromkeys(joined, joined)
    return list({id(group): group for group in group_of.values()}.values())


def _overlaps(tree: _Tree, counts: _Counts, least_share: float, fits: Fits) -> list[FolderMatch]:
    """Return the outermost pairs of folders that share at least so much of one of them."""
    loose = {pair for pair in counts.files if _could_be_tighter(tree, counts, *pair)}
    candidates: list[FolderMatch] = []
    pairs: list[Pair] = []
    for (one, other), files in counts.files.items():
        share, back = files / tree.files[one], counts.files[other, one] / tree.files[other]
        first = share > back or (share == back and tree.path[one] < tree.path[other])
        if (
            share >= least_share
            and first
            and fits(one, other)
            and (one, other) not in loose
            and (other, one) not in loose
        ):
            candidates.append(_match(tree, counts, Relation.OVERLAP, one, other))
            pairs.append((one, other))
    taken: set[Pair] = set()
    found = []
    for match, (one, other) in sorted(zip(candidates, pairs, strict=True), key=lambda both: -both[0].shared_bytes):
        around = ((a, b) for a in tree.chain(one) for b in tree.chain(other))
        if not any((a, b) in taken or (b, a) in taken for a, b in around):
            taken.add((one, other))
            found.append(match)
    return found


def _could_be_tighter(tree: _Tree, counts: _Counts, one: int, other: int) -> bool:
    """Tell whether a folder within one of the two shares as much by itself."""
    files = counts.files[one, other]
    inner = tree.inner
    return any(counts.files[folder, other] == files for folder in inner[one]) or any(
        counts.files[one, folder] == files for folder in inner[other]
    )


def _match(tree: _Tree, counts: _Counts, relation: Relation, one: int, other: int) -> FolderMatch:
    facts = (tree.facts(one), tree.facts(other))
    return FolderMatch(relation, facts, counts.files[one, other], counts.bytes[one, other])
