"""How photos are grouped: versions of one picture, crops of it, and pictures of one moment."""

import re
from collections.abc import Sequence
from datetime import datetime

from foldkeep.model.copy_names import plain_stem

from .differences import GREY, difference_of_pixels, difference_of_size, pixels_within, said_reasons
from .groups import Content, Member, What
from .pictures import Pair

MOMENT_SECONDS = 60
"""Pictures taken no farther apart than that, which look alike, are of one moment."""

_NUMBER = re.compile(r"\d{3,}")
_SAME_EXPOSURE = 0.97


class Photos:
    """Judges photos."""

    def rank(self, content: Content) -> tuple[object, ...]:
        """Return what makes a photo likelier the original: the camera's data, colour, pixels within a border, bytes."""
        facts = content.facts
        name = content.file.path.rpartition(b"/")[2]
        within = content.print.within
        return (
            bool(facts.captured and facts.camera), content.print.color >= GREY,
            pixels_within(content.pixels, within), within == 1, content.pixels, content.print.quality,
            content.file.size, plain_stem(name).encode() in name.lower(), content.file.path,
        )  # fmt: skip

    def what(self, chosen: Content, other: Content, pair: Pair, number: int) -> What | None:
        """Return how a photo belongs to the chosen one; None if it does not after all."""
        seconds = _seconds_apart(chosen.facts.captured, other.facts.captured)
        if seconds is not None and (seconds > 0 or _are_shots(chosen, other)):
            if seconds > MOMENT_SECONDS:
                return What.VERSIONS if pair.cut is None and pair.like >= _SAME_EXPOSURE else None
            return What.MOMENT
        if pair.cut is None:
            return What.VERSIONS
        # What shows a part is never the original of what shows all.
        return What.CROP if pair.other == number else None

    def members(self, what: What, chosen: Content, others: Sequence[tuple[Content, Pair]]) -> list[Member]:
        """Return the members of a group; of a moment the sharpest is pointed out, and none is the original."""
        everybody = [chosen, *(content for content, _ in others)]
        sharpest = max(everybody, key=lambda content: content.print.sharpness) if what is What.MOMENT else None
        why = "" if what is What.MOMENT else _why_original(chosen, everybody[1:])
        found = [Member(chosen, None, what is not What.MOMENT, "the sharpest" if chosen is sharpest else why)]
        found += [
            Member(content, pair, False, "the sharpest" if content is sharpest else "", _differs(chosen, content, pair))
            for content, pair in others
        ]
        return found


def _are_shots(one: Content, other: Content) -> bool:
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


def _why_original(chosen: Content, others: Sequence[Content]) -> str:
    return said_reasons(
        {
            "has the camera's data": bool(chosen.facts.camera) and not all(each.facts.camera for each in others),
            "in colour": chosen.print.color >= GREY and not all(each.print.color >= GREY for each in others),
            "most pixels": all(chosen.pixels > each.pixels for each in others) and chosen.print.within == 1,
            "without a border": chosen.print.within == 1 and all(each.print.within < 1 for each in others),
            "least compressed": all(chosen.print.quality > each.print.quality > 0 for each in others),
            "largest file": all(chosen.file.size > each.file.size for each in others),
        }
    )


def _differs(chosen: Content, other: Content, pair: Pair) -> tuple[str, ...]:
    """Return in what a picture differs from the chosen one, in words."""
    mine, its = other.facts, chosen.facts
    found = list(difference_of_pixels(chosen, other))
    if mine.format != its.format and mine.format:
        found.append(f"{mine.format}, not {its.format}")
    if other.print.quality and chosen.print.quality and other.print.quality != chosen.print.quality:
        found.append(f"JPEG quality {other.print.quality}, not {chosen.print.quality}")
    if mine.software and mine.software != its.software:
        found.append(f"saved by {mine.software}")
    if other.print.color < GREY < chosen.print.color - GREY:
        found.append("grey")
    if pair.cut is not None:
        sides = zip(("left", "top", "right", "bottom"), pair.cut, strict=True)
        found.append("without " + ", ".join(f"{part:.0%} at the {side}" for side, part in sides if part))
    if any(pair.within) and (other.print.within < 1) != (chosen.print.within < 1):
        found.append("with a border" if other.print.within < 1 else "without a border")
    if pair.turn:
        found.append(pair.turn)
    seconds = _seconds_apart(mine.captured, its.captured)
    if seconds:
        found.append(f"taken {seconds:,.0f} s {'later' if (mine.captured or '') > (its.captured or '') else 'earlier'}")
    elif its.captured and not mine.captured:
        found.append("does not say when it was taken")
    return (*found, *difference_of_size(chosen, other))
