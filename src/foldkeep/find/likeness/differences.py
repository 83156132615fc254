"""In what contents differ that are alike, and what speaks for one to be the original, in words."""

from collections.abc import Iterator, Mapping
from math import log2

from foldkeep.model import Facts
from foldkeep.model.units import format_size

from .groups import Content

GREY = 4.0
"""A photo whose colours lie closer together is grey but for what its compression made of it."""

_WHOLE = 0.85
_LEAST_OFFSET = 1.0
_STEPS = 7  # by which pixels are told apart, to twice as many
_MORE_DATA = 1.05


def differences_of_played(chosen: Content, other: Content, offset: float, shared: float) -> Iterator[str]:
    """Yield in what something that is played differs from the chosen one: format, data, length, and what is shared.

    Parameters
    ----------
    offset, shared
        Seconds between where both begin, and seconds that they have in common.
    """
    mine, its = other.facts, chosen.facts
    if mine.format != its.format and mine.format:
        yield f"{mine.format}, not {its.format}"
    if mine.bit_rate and its.bit_rate and abs(mine.bit_rate - its.bit_rate) > its.bit_rate / 20:
        yield f"{mine.bit_rate / 1000:,.0f} kbit/s, not {its.bit_rate / 1000:,.0f}"
    if mine.seconds and its.seconds and abs(mine.seconds - its.seconds) > 1:
        yield f"{clock(mine.seconds)} long, not {clock(its.seconds)}"
    if abs(offset) >= _LEAST_OFFSET:
        yield f"begins {abs(offset):.0f} s {_side(mine, its)}"
    if its.seconds and shared < min(its.seconds, mine.seconds or its.seconds) * _WHOLE:
        yield f"shares {clock(shared)}"


def difference_of_pixels(chosen: Content, other: Content) -> Iterator[str]:
    """Yield how many pixels a content has, if the chosen one has others."""
    mine, its = other.facts, chosen.facts
    if (mine.width, mine.height) != (its.width, its.height) and other.pixels and chosen.pixels:
        yield f"{mine.width} × {mine.height}, not {its.width} × {its.height}"


def pixels_within(pixels: int, within: float) -> int:
    """Return a measure of how many pixels lie within bars or a border, that a few lines more or less do not change."""
    return round(_STEPS * log2(max(1.0, pixels * within)))


def difference_of_size(chosen: Content, other: Content) -> Iterator[str]:
    """Yield how large a file is, if the chosen one has another size."""
    if other.file.size != chosen.file.size:
        yield f"{format_size(other.file.size)}, not {format_size(chosen.file.size)}"


def _side(mine: Facts, its: Facts) -> str:
    """Return where a part begins; of two of one length it is not told apart."""
    lengths = (mine.seconds or 0.0, its.seconds or 0.0)
    if abs(lengths[0] - lengths[1]) < _LEAST_OFFSET:
        return "earlier or later"
    return "into it" if lengths[0] < lengths[1] else "before it"


def clock(seconds: float) -> str:
    """Return a length as minutes and seconds."""
    return f"{round(seconds) // 60}:{round(seconds) % 60:02}"


def said_reasons(reasons: Mapping[str, bool]) -> str:
    """Return which reasons hold for something to be likely the original."""
    return ", ".join(reason for reason, holds in reasons.items() if holds) or "nothing tells it from the others"


def only_of(spare: Content, keeper: Content) -> Iterator[str]:
    """Yield what a spare has that a keeper which is only alike has not: more pixels, data or time, sound, words."""
    mine, its = spare.facts, keeper.facts
    if spare.pixels > keeper.pixels:
        yield f"more pixels: {mine.width} × {mine.height}, its keeper {its.width} × {its.height}"
    if (mine.seconds or 0) > (its.seconds or 0) + _LEAST_OFFSET:
        yield f"more time: {clock(mine.seconds or 0)}, its keeper {clock(its.seconds or 0)}"
    if keeper.print.color < GREY < spare.print.color - GREY:
        yield "colour"
    if spare.print.quality > keeper.print.quality > 0:
        yield f"less compressed: JPEG quality {spare.print.quality}, its keeper {keeper.print.quality}"
    if (mine.bit_rate or 0) > (its.bit_rate or 0) * _MORE_DATA > 0:
        yield f"more data: {(mine.bit_rate or 0) / 1000:,.0f} kbit/s, its keeper {(its.bit_rate or 0) / 1000:,.0f}"
    if mine.audio_codec and not its.audio_codec:
        yield "sound"
    if words := [word for word in mine.keywords if word not in its.keywords]:
        yield f"{'keyword' if len(words) == 1 else 'keywords'} {', '.join(words)}"
    for what, has, other in (
        ("rating", mine.rating, its.rating), ("title", mine.title, its.title),
        ("description", mine.description, its.description), ("artist", mine.artist, its.artist),
        ("album", mine.album, its.album),
    ):  # fmt: skip
        if has is not None and has != other:
            yield f"the {what} {has:g}" if isinstance(has, float) else f"the {what} “{has}”"
    if mine.captured and not its.captured:
        yield "when it was taken"
    if mine.camera and not its.camera:
        yield "the camera's data"
