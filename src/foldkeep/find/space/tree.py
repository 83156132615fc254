"""The folders as a tree with what fills them, small things pooled: what a map of the space is drawn from."""

from collections import Counter, defaultdict
from dataclasses import dataclass, field
from functools import cached_property

from foldkeep.model import Filter
from foldkeep.model.names import folders_above, lies_below
from foldkeep.stock import Stock

from .usage import age_of

_SMALLEST = 1 / 4000
"""The part of all that something must have to be told apart; what is smaller is pooled."""

_MOST_FILES = 600


@dataclass
class Node:
    """A folder.

    Attributes
    ----------
    own
        Bytes directly in it and in folders below that are too small to be told apart, by group.
    files
        Large files directly in it: name, bytes, group.
    """

    path: bytes
    own: dict[str, int] = field(default_factory=lambda: defaultdict(int))
    files: list[tuple[bytes, int, str]] = field(default_factory=list)
    folders: list["Node"] = field(default_factory=list)

    @cached_property
    def groups(self) -> dict[str, int]:
        """All that lies in it, at any depth, by group; to be asked when the tree is complete."""
        found = Counter(self.own)
        for _, size, group in self.files:
            found[group] += size
        for folder in self.folders:
            found.update(folder.groups)
        return dict(found)

    @cached_property
    def bytes(self) -> int:
        """All that lies in it, at any depth; to be asked when the tree is complete."""
        return sum(self.groups.values())


def space_tree(stock: Stock, wanted: Filter, by: str = "kind") -> Node:
    """Return the tree of the files that fit; its top is the folder asked for, or nameless above several.

    Parameters
    ----------
    by
        What tells groups apart: ``kind`` or ``age``.
    """
    group_of = age_of() if by == "age" else str
    grouping = "folder and day" if by == "age" else "folder and kind"
    paths = stock.listing.folders()
    tops = wanted.under or tuple(place.path for place in stock.places.all())
    own: dict[bytes, dict[str, int]] = defaultdict(lambda: defaultdict(int))
    totals: dict[bytes, int] = defaultdict(int)
    for each in stock.listing.sums(grouping, wanted):
        number, _, word = str(each.key).partition(" ")
        path = paths[int(number)]
        own[path][group_of(word)] += each.bytes
        totals[path] += each.bytes
    least = max(1, sum(totals.values()) * _SMALLEST)
    large = [file for file in stock.listing.files(wanted, "size", _MOST_FILES) if file.size >= least]
    nodes = _nodes(own, totals, tops, least)
    for file in large:
        folder, _, name = file.path.rpartition(b"/")
        group = group_of(str(file.modified_ns // 86_400_000_000_000)) if by == "age" else file.kind
        if node := nodes.get(folder or b"/"):
            node.files.append((name, file.size, group))
            node.own[group] -= file.size
    return _joined(nodes, tops)


def _nodes(
    own: dict[bytes, dict[str, int]], totals: dict[bytes, int], tops: tuple[bytes, ...], least: float
) -> dict[bytes, Node]:
    """Return the nodes of all folders that are large enough; what lies in others is poured into the one above."""
    whole: dict[bytes, int] = defaultdict(int)
    for path, size in totals.items():
        for folder in (path, *folders_above(path)):
            whole[folder] += size
            if folder in tops:
                break
    nodes: dict[bytes, Node] = {}
    for path, groups in own.items():
        home = path
        while home not in tops and whole[home] < least:
            home = home.rpartition(b"/")[0] or b"/"
        node = nodes.setdefault(home, Node(home))
        for group, size in groups.items():
            node.own[group] += size
    return nodes


def _joined(nodes: dict[bytes, Node], tops: tuple[bytes, ...]) -> Node:
    """Hang each node below the nearest folder above it and return the top."""
    for path in list(nodes):
        for folder in folders_above(path):
            if path in tops or not any(lies_below(path, top) for top in tops):
                break
            nodes.setdefault(folder, Node(folder))
            if folder in tops:
                break
    roots = []
    for path, node in sorted(nodes.items()):
        above = path.rpartition(b"/")[0] or b"/"
        if path in tops or above not in nodes:
            roots.append(node)
        else:
            nodes[above].folders.append(node)
    return roots[0] if len(roots) == 1 else Node(b"", folders=roots)
