"""Shapes: sets that lie in the same folders under one name. What is decided of one of them holds for all.

Two folders that share a file mostly share hundreds, and nearly all rules look at folders alone. So of a hundred
thousand sets a few hundred shapes are left to be thought about.
"""

from collections.abc import Sequence
from dataclasses import dataclass, field

from foldkeep.model import Role, StockFile
from foldkeep.model.copy_names import looks_like_a_copy
from foldkeep.model.remote import SOMEBODY_ELSE

from .rules import Rule

MOST_SHAPES = 20_000
"""How many are remembered; sets of further ones are looked at one by one."""

Shape = tuple[tuple[bytes, bytes], ...]
"""Of each copy, in order of path, the path of its place and that of its folder."""

BY_FOLDER = frozenset(("sorted", "plain-name", "at-hand", "named", "shortest-path", "longest-path", "first-by-name"))
"""Rules that say the same of all sets of a shape."""


def is_by_folder(word: str) -> bool:
    """Tell whether a rule says the same of all sets of a shape."""
    return word in BY_FOLDER or word.startswith(("under:", "outside:", "place:"))


def shape_of(copies: Sequence[StockFile]) -> Shape | None:
    """Return the shape of a set; None if something of it is its own: a name, an owner, a place that is left alone."""
    name = copies[0].path.rpartition(b"/")[2]
    folders = []
    for copy in copies:
        folder, _, own = copy.path.rpartition(b"/")
        place = copy.place
        if own != name or place.role is not Role.WORKING or copy.owner == SOMEBODY_ELSE:
            return None
        folders.append((place.path, folder))
    return None if looks_like_a_copy(name) else tuple(folders)


@dataclass(slots=True)
class Tie:
    """What the sets of a shape say of its folders, together.

    Attributes
    ----------
    first
        The copies of the first of these sets.
    tied
        Which of the copies the rules on single files leave.
    times
        How many sets there are.
    preferred
        For each of the rules that are asked next, how often it prefers each of those copies.
    """

    first: Sequence[StockFile]
    tied: list[int]
    times: int = 0
    preferred: list[list[int]] = field(default_factory=list)

    def note(self, copies: Sequence[StockFile], rules: Sequence[Rule]) -> None:
        """Count one more set."""
        self.times += 1
        left = [copies[at] for at in self.tied]
        if self.times == 1:
            self.preferred = [[0] * len(left) for _ in rules]
        for rule, counts in zip(rules, self.preferred, strict=True):
            if rule.word in BY_FOLDER and self.times > 1:
                continue
            keys = rule.keys(left)
            least = min(keys)
            for at, key in enumerate(keys):
                counts[at] += key == least

    def counts(self, rules: Sequence[Rule]) -> list[list[int]]:
        """Return `preferred`, with what holds for all sets counted for all of them."""
        return [
            [count * self.times for count in counts] if rule.word in BY_FOLDER else counts
            for rule, counts in zip(rules, self.preferred, strict=True)
        ]
