"""Two places, folders or inventories compared: what came, what went, what changed, what only moved."""

import os
from collections import defaultdict
from collections.abc import Callable, Collection, Iterable, Iterator, Mapping
from dataclasses import dataclass, field
from enum import StrEnum
from itertools import compress, repeat
from typing import NamedTuple

from foldkeep.formats.columns import inventory_reader
from foldkeep.formats.own import InventoryFolder
from foldkeep.model import Filter, Place, Role, StockFile, UnusableInput, visible
from foldkeep.model.names import innermost, lies_below, steps_alike
from foldkeep.model.work import many_rows
from foldkeep.scan import check_names, named_folder
from foldkeep.stock import Stock


class Verdict(StrEnum):
    """Relations of a file of the first side to one of the second."""

    ADDED = "added"  # only on the second
    GONE = "gone"  # only on the first
    CHANGED = "changed"  # same path, other content
    MOVED = "moved"  # same content under another path
    SAME = "same"


class Entry(NamedTuple):
    """File as it is compared; a tuple, since there may be millions.

    `identity` tells hard links of one stock; None in an inventory. `ends` differ only if the contents do. `digest` is
    hexadecimal.
    """

    size: int
    modified_ns: int
    kind: str
    identity: tuple[int, int] | None
    ends: int | None
    digest: str | None


class Side(NamedTuple):
    """Side of a comparison: its name for a person, and its files by path relative to it.

    `tops` are the absolute paths that the first step of a relative path stands for where there are several;
    with one alone, it is what all of them are relative to. `kinds` and `labels` are those that a filter may name,
    `folders` those of its folders that are known. `place` is the label of the one place that it lies in, and `within`
    its path there; empty for what has several.
    """

    name: str
    tops: dict[bytes, bytes]
    files: dict[bytes, Entry]
    kinds: frozenset[str] = frozenset()
    labels: frozenset[str] = frozenset()
    folders: frozenset[bytes] = frozenset()
    place: bytes = b""
    within: bytes = b""

    def path(self, relative: bytes) -> bytes:
        """Return the absolute path of a file."""
        if len(self.tops) == 1:
            return os.path.join(next(iter(self.tops.values())), relative)
        label, _, rest = relative.partition(b"/")
        return os.path.join(self.tops[label], rest)


class Change(NamedTuple):
    """One file, or two that belong together.

    Attributes
    ----------
    before, after
        Relative paths on the first and on the second side; None where there is none.
    proven
        Whether contents were compared; otherwise only sizes and dates could be.
    """

    verdict: Verdict
    before: bytes | None
    after: bytes | None
    was: Entry | None
    now: Entry | None
    proven: bool

    @property
    def entry(self) -> Entry:
        """The file as it is now, or as it was."""
        found = self.now or self.was
        if found is None:
            raise ValueError("a change without a file")
        return found


@dataclass
class Comparison:
    """The answer.

    Attributes
    ----------
    changes
        All but what is the same, by verdict and path.
    counts
        Files and bytes by verdict and kind; of what changed, as it is now.
    unproven
        How many files of each verdict could be told by size and date only.
    elsewhere
        How many of the files that are only on one side have a content that the other side has too.
    """

    first: Side
    second: Side
    changes: list[Change] = field(default_factory=list)
    counts: dict[Verdict, dict[str, list[int]]] = field(default_factory=lambda: {v: {} for v in Verdict})
    unproven: dict[Verdict, int] = field(default_factory=lambda: dict.fromkeys(Verdict, 0))
    elsewhere: dict[Verdict, int] = field(default_factory=dict)

    def totals(self, verdict: Verdict) -> tuple[int, int]:
        """Return files and bytes of a verdict."""
        figures = self.counts[verdict].values()
        return sum(files for files, _ in figures), sum(size for _, size in figures)


@many_rows()
def open_side(stock: Callable[[], Stock], word: str, wanted: Filter) -> Side:
    """Return a side by the label or path of a place, the path of a folder in one, or that of an inventory.

    Of an inventory a folder is named behind a colon, by its path below its place: ``shelf.inventory:photos/2024``.

    Parameters
    ----------
    stock
        Opens the stock; asked only if it is needed.
    wanted
        Which of its files take part.

    Raises
    ------
    UnusableInput
        If it is none of these, or the inventory is damaged.
    """
    if os.path.isfile(word):
        return _inventory_side(word, wanted)
    inventory, colon, folder = word.rpartition(":")
    if colon and os.path.isfile(inventory):
        return _below(_inventory_side(inventory, wanted), os.fsencode(folder).strip(b"/"), word)
    known = stock()
    top = named_folder(known, word)
    inner = wanted._replace(under=(*wanted.under, top)) if not wanted.under else wanted
    files = {}
    for folder, name, size, modified_ns, kind, volume, inode, ends, digest in known.listing.contents(inner):
        if folder == top or lies_below(folder, top):
            entry = Entry(size, modified_ns, kind, (volume, inode), ends, digest.hex() if digest else None)
            files[_relative(folder, top) + name] = entry
    labels = frozenset(place.label for place in known.places.all())
    folders = frozenset(folder for folder in (*wanted.under, *wanted.not_under) if known.listing.has_folder(folder))
    places = {place.path: place for place in known.places.all()}
    place = places[innermost(places, top, itself=True) or top]
    within = _relative(top, place.path).rstrip(b"/")
    kinds = frozenset(known.listing.kinds())
    return Side(visible(top), {b"": top}, files, kinds, labels, folders, os.fsencode(place.label), within)


def _inventory_side(path: str, wanted: Filter) -> Side:
    reader = inventory_reader(path)
    places = [
        Place(number, place.path, Role(place.role), place.label, 0) for number, place in enumerate(reader.head.places)
    ]
    several = len(places) > 1
    files: dict[bytes, Entry] = {}
    kinds: set[str] = set()
    named = (*wanted.under, *wanted.not_under)
    known: set[bytes] = set()
    for part in reader.folders():
        place = places[part.place]
        kinds.update(part.kinds)
        known.update(folder for folder in named if part.path == folder or lies_below(part.path, folder))
        stem = (os.fsencode(place.label) + b"/" if several else b"") + _relative(part.path, place.path)
        entries = map(Entry, part.sizes, part.modified_ns, part.kinds, repeat(None), part.ends, part.digests)
        found = zip([stem + name for name in part.names], entries, strict=False)
        files.update(found if not wanted else compress(found, _fitting(part, place, wanted)))
    tops = {os.fsencode(place.label): place.path for place in places}
    labels = frozenset(place.label for place in places)
    one = b"" if several else next(iter(tops), b"")
    return Side(visible(path), tops, files, frozenset(kinds), labels, frozenset(known), one)


def _below(side: Side, folder: bytes, word: str) -> Side:
    """Return what lies below a folder of a side, by path relative to that; UnusableInput if nothing does."""
    part = _part(side, folder, visible(word)) if folder else side
    if folder and not part.files:
        raise UnusableInput(f"no file lies in {visible(word)}", "see foldkeep list --inventory FILE")
    return part


def _part(side: Side, folder: bytes, name: str) -> Side:
    start = folder + b"/"
    files = {path[len(start) :]: entry for path, entry in side.files.items() if path.startswith(start)}
    return side._replace(name=name, tops={b"": side.path(folder)}, files=files)


def like_with_like(side: Side, other: Side) -> Side:
    """Return of a side of several places the one that another side is, or lies in; the whole side if it has none.

    The place is known by its path, else by its label: a drive may be mounted elsewhere by now.
    """
    if len(side.tops) < 2 or len(other.tops) != 1:
        return side
    (top,) = other.tops.values()
    for label, place in side.tops.items():
        if top == place or lies_below(top, place):
            return _place_of(side, label, _relative(top, place).rstrip(b"/"))
    return _place_of(side, other.place, other.within) if other.place in side.tops else side


def _place_of(side: Side, label: bytes, within: bytes) -> Side:
    folder = b"/".join(filter(None, (label, within)))
    return _part(side, folder, f"{side.name}:{visible(folder)}")


def check_sides(first: Side, second: Side, wanted: Filter) -> None:
    """Raise UnusableInput if a filter names a kind, place or folder that neither side knows."""
    check_names(wanted, sorted(first.kinds | second.kinds), sorted(first.labels | second.labels))
    for folder in (*wanted.under, *wanted.not_under):
        if folder not in first.folders | second.folders:
            raise UnusableInput(f"no file is known in {visible(folder)}", "name a folder of one of the two sides")


def _fitting(part: InventoryFolder, place: Place, wanted: Filter) -> Iterator[bool]:
    """Tell of each file of an inventory whether it fits."""
    stem = part.path.rstrip(b"/") + b"/"
    for name, kind, size, modified_ns, inode, links, owner, *_ in part.rows():
        yield wanted.takes(StockFile(stem + name, size, modified_ns, kind, place, 0, inode, links, owner, None))


def _relative(folder: bytes, top: bytes) -> bytes:
    return folder[len(top.rstrip(b"/")) + 1 :] + b"/" if folder != top else b""


@many_rows()
def compare(first: Side, second: Side, contents: Mapping[Verdict, Collection[str]] | None = None) -> Comparison:
    """Compare two sides by the paths and contents of their files.

    Contents are compared where both are known: by digest, by size, or by their first and last blocks. Where they
    are not, files of one size and date count as the same, and that is said.

    Parameters
    ----------
    contents
        Digests of the other side, for what is gone and for what was added, where a side does not have all its files.
    """
    answer = Comparison(first, second)
    changes = []
    for path, was in first.files.items():
        now = second.files.get(path)
        if now is None:
            continue
        verdict, proven = _judge(was, now)
        _count(answer, verdict, now, proven)
        if verdict is not Verdict.SAME:
            changes.append(Change(verdict, path, path, was, now, proven))
    gone = {path: entry for path, entry in first.files.items() if path not in second.files}
    added = {path: entry for path, entry in second.files.items() if path not in first.files}
    moved = list(_moved(gone, added))
    taken = {change.before for change in moved}, {change.after for change in moved}
    rest = [Change(Verdict.GONE, path, None, was, None, True) for path, was in gone.items() if path not in taken[0]]
    rest += [Change(Verdict.ADDED, None, path, None, now, True) for path, now in added.items() if path not in taken[1]]
    for change in (*moved, *rest):
        _count(answer, change.verdict, change.entry, change.proven)
    for verdict, other in ((Verdict.GONE, second), (Verdict.ADDED, first)):
        if verdict not in {change.verdict for change in rest}:
            continue
        known = contents[verdict] if contents else {entry.digest for entry in other.files.values()} - {None}
        answer.elsewhere[verdict] = sum(c.verdict is verdict and c.entry.digest in known for c in rest)
    order = {verdict: number for number, verdict in enumerate(Verdict)}
    answer.changes = [*changes, *moved, *rest]
    answer.changes.sort(key=lambda change: (order[change.verdict], change.after or change.before or b""))
    return answer


def _judge(was: Entry, now: Entry) -> tuple[Verdict, bool]:
    """Tell whether two files of one path have the same content, and whether that is proven."""
    if was.size != now.size:
        return Verdict.CHANGED, True
    if was.size == 0 or (was.identity is not None and was.identity == now.identity):
        return Verdict.SAME, True
    if was.digest and now.digest:
        return (Verdict.SAME if was.digest == now.digest else Verdict.CHANGED), True
    if was.ends is not None and now.ends is not None and was.ends != now.ends:
        return Verdict.CHANGED, True
    return (Verdict.SAME if was.modified_ns == now.modified_ns else Verdict.CHANGED), False


def _moved(gone: dict[bytes, Entry], added: dict[bytes, Entry]) -> Iterator[Change]:
    """Pair what went with what came, by content first, then by size, date and name, then by size and date alone."""
    left, right = dict(gone), dict(added)
    by_content = lambda path, entry: entry.digest  # noqa: E731, ARG005 - three keys, side by side
    by_name = lambda path, entry: (entry.size, entry.modified_ns, path.rpartition(b"/")[2])  # noqa: E731
    by_date = lambda path, entry: (entry.size, entry.modified_ns)  # noqa: E731, ARG005
    for key, proven in ((by_content, True), (by_name, False), (by_date, False)):
        waiting = _grouped(left, key)
        for path, entry in sorted(right.items()):
            candidates = waiting.get(key(path, entry))
            if not candidates or not entry.size or (not proven and len(candidates) > 1):
                continue
            before = _best(candidates, path)
            was = left[before]
            if not proven and _judge(was, entry)[0] is Verdict.CHANGED:
                continue
            candidates.remove(before)
            del left[before], right[path]
            yield Change(Verdict.MOVED, before, path, was, entry, proven)


def _grouped(entries: dict[bytes, Entry], key: Callable[[bytes, Entry], object]) -> dict[object, list[bytes]]:
    found: dict[object, list[bytes]] = defaultdict(list)
    for path in sorted(entries):
        value = key(path, entries[path])
        if value is not None:
            found[value].append(path)
    return found


def _best(candidates: Iterable[bytes], path: bytes) -> bytes:
    """Return the candidate whose path ends most like another, or the first."""
    steps = path.split(b"/")

    def unlike(candidate: bytes) -> tuple[int, bytes]:
        return -steps_alike(steps, candidate.split(b"/")), candidate

    return min(candidates, key=unlike)


def _count(answer: Comparison, verdict: Verdict, entry: Entry, proven: bool) -> None:
    figures = answer.counts[verdict].setdefault(entry.kind, [0, 0])
    figures[0] += 1
    figures[1] += entry.size
    if not proven:
        answer.unproven[verdict] += 1
