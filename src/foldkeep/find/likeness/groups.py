"""Groups of pictures that look alike: versions of one picture, crops of it, and pictures of one moment.

Likeness only suggests. Each member of a group agrees with its chosen member itself, never by way of a third, so no
chain of weak likenesses makes one large group.
"""

import re
from collections import defaultdict
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from enum import StrEnum

from foldkeep.model import Facts, StockFile
from foldkeep.model.copy_names import plain_stem
from foldkeep.model.units import format_size
from foldkeep.stock import KnownPrint

from .pictures import Pair

MOMENT_SECONDS = 60
"""Pictures taken no farther apart than that, which look alike, are of one moment."""

_NUMBER = re.compile(r"\d{3,}")
_SAME_EXPOSURE = 0.97


class What(StrEnum):
    """Ways in which the members of a group belong together."""

    VERSIONS = "versions"
    MOMENT = "moment"
    CROP = "crop"


@dataclass(frozen=True, slots=True)
class Picture:
    """A content that is a picture.

    Attributes
    ----------
    files
        All that have it, by path; the first one that is here stands for it.
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


@dataclass(frozen=True, slots=True)
class Member:
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

    picture: Picture
    pair: Pair | None
    likely_original: bool
    why: str
    differs: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class Group:
    """Pictures that look alike, the chosen one first."""

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
        """Correlation of the pair that is least alike."""
        return min(member.pair.like for member in self.members if member.pair is not None)


def grouped(pairs: Iterable[Pair], picture: Callable[[int], Picture]) -> list[Group]:
    """Return groups of the pictures of pairs, the surest first.

    Parameters
    ----------
    picture
        Returns a picture by its number.
    """
    beside: dict[int, dict[int, Pair]] = defaultdict(dict)
    for pair in pairs:
        beside[pair.one][pair.other] = beside[pair.other][pair.one] = pair
    pictures = {number: picture(number) for number in beside}
    order = sorted(beside, key=lambda number: _rank(pictures[number]), reverse=True)
    taken: set[tuple[int, What]] = set()
    groups: list[Group] = []
    for chosen in order:
        members: dict[What, list[tuple[int, Pair]]] = defaultdict(list)
        for number, pair in beside[chosen].items():
            what = _what(pictures[chosen], pictures[number], pair, chosen)
            if what is not None and (number, what) not in taken and (chosen, what) not in taken:
                members[what].append((number, pair))
        for what, found in members.items():
            taken.update((number, what) for number in (chosen, *(number for number, _ in found)))
            found.sort(key=lambda each: (-each[1].like, pictures[each[0]].file.path))
            groups.append(_group(what, pictures[chosen], [(pictures[number], pair) for number, pair in found]))
    kinds = {what: at for at, what in enumerate(What)}
    return sorted(groups, key=lambda group: (not group.is_strong, kinds[group.what], -group.like, group.id))


def _rank(picture: Picture) -> tuple[object, ...]:
    """Return what makes a picture likelier the original than others: the camera's words, then pixels, then bytes."""
    facts = picture.facts
    name = picture.file.path.rpartition(b"/")[2]
    return (bool(facts.captured and facts.camera), picture.pixels, picture.print.quality, picture.file.size,
            plain_stem(name).encode() in name.lower(), picture.file.path)  # fmt: skip


def _what(chosen: Picture, other: Picture, pair: Pair, number: int) -> What | None:
    """Return how a picture belongs to the chosen one; None if it does not after all."""
    seconds = _seconds_apart(chosen.facts.captured, other.facts.captured)
    if seconds is not None and (seconds > 0 or _are_shots(chosen, other)):
        if seconds > MOMENT_SECONDS:
            return What.VERSIONS if pair.cut is None and pair.like >= _SAME_EXPOSURE else None
        return What.MOMENT
    if pair.cut is None:
        return What.VERSIONS
    # What shows a part is never the original of what shows all.
    return What.CROP if pair.other == number else None


def _are_shots(one: Picture, other: Picture) -> bool:
    """Tell whether two pictures of one second are two shots: of one size, and numbered differently by a camera."""
    names = [each.file.path.rpartition(b"/")[2].decode("utf-8", "replace") for each in (one, other)]
    numbers = [_NUMBER.findall(name)[-1:] for name in names]
    return all(numbers) and numbers[0] != numbers[1] and one.pixels == other.pixels


def _seconds_apart(one: str | None, other: str | None) -> float | None:
    try:
        moments = [datetime.fromisoformat((text or "")[:19]) for text in (one, other)]
    except ValueError:
        return None
    return abs((moments[0] - moments[1]).total_seconds())


def _group(what: What, chosen: Picture, others: Sequence[tuple[Picture, Pair]]) -> Group:
    everybody = [chosen, *(picture for picture, _ in others)]
    sharpest = max(everybody, key=lambda picture: picture.print.sharpness) if what is What.MOMENT else None
    why = "" if what is What.MOMENT else _why_original(chosen, [picture for picture, _ in others])
    members = [Member(chosen, None, what is not What.MOMENT, "the sharpest" if chosen is sharpest else why)]
    members += [
        Member(picture, pair, False, "the sharpest" if picture is sharpest else "", _differs(chosen, picture, pair))
        for picture, pair in others
    ]
    return Group(f"{what.value[0]}{(chosen.file.digest or b'').hex()[:16]}", what, tuple(members))


def _why_original(chosen: Picture, others: Sequence[Picture]) -> str:
    reasons: Mapping[str, bool] = {
        "has the camera's words": bool(chosen.facts.camera) and not all(each.facts.camera for each in others),
        "most pixels": all(chosen.pixels > each.pixels for each in others),
        "least compressed": all(chosen.print.quality > each.print.quality > 0 for each in others),
        "largest file": all(chosen.file.size > each.file.size for each in others),
    }
    return ", ".join(reason for reason, holds in reasons.items() if holds) or "nothing tells it from the others"


def _differs(chosen: Picture, other: Picture, pair: Pair) -> tuple[str, ...]:
    """Return in what a picture differs from the chosen one, in words."""
    mine, its = other.facts, chosen.facts
    found: list[str] = []
    if (mine.width, mine.height) != (its.width, its.height) and other.pixels and chosen.pixels:
        found.append(f"{mine.width} × {mine.height}, not {its.width} × {its.height}")
    if mine.format != its.format and mine.format:
        found.append(f"{mine.format}, not {its.format}")
    if other.print.quality and chosen.print.quality and other.print.quality != chosen.print.quality:
        found.append(f"JPEG quality {other.print.quality}, not {chosen.print.quality}")
    if pair.cut is not None:
        sides = zip(("left", "top", "right", "bottom"), pair.cut, strict=True)
        found.append("without " + ", ".join(f"{part:.0%} at the {side}" for side, part in sides if part))
    if pair.turn:
        found.append(pair.turn)
    seconds = _seconds_apart(mine.captured, its.captured)
    if seconds:
        found.append(f"taken {seconds:,.0f} s {'later' if (mine.captured or '') > (its.captured or '') else 'earlier'}")
    elif its.captured and not mine.captured:
        found.append("does not say when it was taken")
    if other.file.size != chosen.file.size:
        found.append(f"{format_size(other.file.size)}, not {format_size(chosen.file.size)}")
    return tuple(found)
