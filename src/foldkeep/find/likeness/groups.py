"""Groups of files that look or sound alike.

Likeness only suggests. Each member of a group agrees with its chosen member itself, never by way of a third, so no
chain of weak likenesses makes one large group.
"""

from collections import defaultdict
from collections.abc import Callable, Iterable, Sequence
from enum import StrEnum
from typing import Any, NamedTuple, Protocol

from foldkeep.model import Facts, StockFile
from foldkeep.stock import KnownPrint


class What(StrEnum):
    """Ways in which the members of a group belong together."""

    VERSIONS = "versions"
    MOMENT = "moment"
    CROP = "crop"
    RECORDING = "recording"
    FILM = "film"


class Content(NamedTuple):
    """A content that is compared.

    Attributes
    ----------
    files
        All that have it; the first one stands for it.
    facts
        What it says of itself.
    """

    files: Sequence[StockFile]
    facts: Facts
    print: KnownPrint

    @property
    def file(self) -> StockFile:
        """The file that stands for it."""
        return self.files[0]

    @property
    def pixels(self) -> int:
        """How many pixels it has; 0 if that is not known."""
        return (self.facts.width or 0) * (self.facts.height or 0)


class Likeness(Protocol):
    """Two contents that are alike, by number."""

    @property
    def one(self) -> int: ...
    @property
    def other(self) -> int: ...
    @property
    def like(self) -> float: ...
    @property
    def is_strong(self) -> bool: ...


class Member(NamedTuple):
    """Member of a group.

    Attributes
    ----------
    pair
        What was measured between it and the chosen member; None of that itself.
    likely_original, why
        Whether it is likely what the others were made from, and why, or what else is to be said of it.
    differs
        In what it differs from the chosen member, in words.
    """

    content: Content
    pair: Likeness | None
    likely_original: bool
    why: str
    differs: tuple[str, ...] = ()


class Group(NamedTuple):
    """Contents that are alike, the chosen one first."""

    id: str
    what: What
    members: tuple[Member, ...]

    @property
    def is_strong(self) -> bool:
        """Tell whether prints and shades of all members leave no doubt."""
        return all(member.pair is None or member.pair.is_strong for member in self.members)

    @property
    def strength(self) -> str:
        """How sure it is, in a word."""
        return "strong" if self.is_strong else "fair"

    @property
    def like(self) -> float:
        """How much the pair is alike that is it least, up to 1."""
        return min(member.pair.like for member in self.members if member.pair is not None)


class Judge(Protocol):
    """Knows how contents of a kind are to be grouped."""

    def rank(self, content: Content) -> tuple[Any, ...]:
        """Return what makes a content likelier the original than others; the largest is chosen."""
        ...

    def what(self, chosen: Content, other: Content, pair: Any, number: int) -> What | None:
        """Return how a content belongs to the chosen one, whose number is given; None if it does not after all."""
        ...

    def members(self, what: What, chosen: Content, others: Sequence[tuple[Content, Any]]) -> list[Member]:
        """Return the members of a group, the chosen one first, with what is to be said of each."""
        ...


def grouped(pairs: Iterable[Likeness], content: Callable[[int], Content], judge: Judge) -> list[Group]:
    """Return groups of the contents of pairs, the surest first.

    Parameters
    ----------
    content
        Returns a content by its number.
    """
    beside: dict[int, dict[int, Likeness]] = defaultdict(dict)
    for pair in pairs:
        beside[pair.one][pair.other] = beside[pair.other][pair.one] = pair
    contents = {number: content(number) for number in beside}
    order = sorted(beside, key=lambda number: judge.rank(contents[number]), reverse=True)
    taken: set[tuple[int, What]] = set()
    groups: list[Group] = []
    for chosen in order:
        members: dict[What, list[tuple[int, Likeness]]] = defaultdict(list)
        for number, pair in beside[chosen].items():
            what = judge.what(contents[chosen], contents[number], pair, chosen)
            if what is not None and (number, what) not in taken and (chosen, what) not in taken:
                members[what].append((number, pair))
        for what, found in members.items():
            taken.update((number, what) for number in (chosen, *(number for number, _ in found)))
            found.sort(key=lambda each: (-each[1].like, contents[each[0]].file.path))
            others = [(contents[number], pair) for number, pair in found]
            digest = contents[chosen].file.digest or b""
            name = f"{what.value[0]}{digest.hex()[:16]}"
            groups.append(Group(name, what, tuple(judge.members(what, contents[chosen], others))))
    return by_sureness(groups)


def by_sureness(groups: Iterable[Group]) -> list[Group]:
    """Return groups in order: the strong ones first, then by what they are, and how much they are alike."""
    kinds = {what: at for at, what in enumerate(What)}
    return sorted(groups, key=lambda group: (not group.is_strong, kinds[group.what], -group.like, group.id))
