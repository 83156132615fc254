"""How sounds are grouped: those that share a recording."""

from collections.abc import Mapping, Sequence

from foldkeep.model.units import format_size

from .groups import Content, Member, What
from .sounds import SoundPair

_WHOLE = 0.85
_LOSSLESS = frozenset(("FLAC", "WAVE", "WAV", "AIFF"))


class Recordings:
    """Judges sounds."""

    def rank(self, content: Content) -> tuple[object, ...]:
        """Return what makes a sound likelier the original: without loss, then bits a second, length, bytes."""
        facts = content.facts
        return (facts.format in _LOSSLESS, round(facts.seconds or 0), facts.bit_rate or 0, content.file.size,
                content.file.path)  # fmt: skip

    def what(self, chosen: Content, other: Content, pair: SoundPair, number: int) -> What | None:  # noqa: ARG002
        """Return that sounds which are alike share a recording."""
        return What.RECORDING

    def members(self, what: What, chosen: Content, others: Sequence[tuple[Content, SoundPair]]) -> list[Member]:  # noqa: ARG002
        """Return the members of a group with what differs."""
        found = [Member(chosen, None, True, _why_original(chosen, [content for content, _ in others]))]
        found += [Member(content, pair, False, "", _differs(chosen, content, pair)) for content, pair in others]
        return found


def _why_original(chosen: Content, others: Sequence[Content]) -> str:
    facts = chosen.facts
    reasons: Mapping[str, bool] = {
        "without loss": facts.format in _LOSSLESS and not all(each.facts.format in _LOSSLESS for each in others),
        "the longest": all((facts.seconds or 0) > (each.facts.seconds or 0) + 1 for each in others),
        "most bits a second": all((facts.bit_rate or 0) > (each.facts.bit_rate or 0) > 0 for each in others),
    }
    return ", ".join(reason for reason, holds in reasons.items() if holds) or "nothing tells it from the others"


def _differs(chosen: Content, other: Content, pair: SoundPair) -> tuple[str, ...]:
    """Return in what a sound differs from the chosen one, in words."""
    mine, its = other.facts, chosen.facts
    found: list[str] = []
    if mine.format != its.format and mine.format:
        found.append(f"{mine.format}, not {its.format}")
    if mine.bit_rate and its.bit_rate and abs(mine.bit_rate - its.bit_rate) > its.bit_rate / 20:
        found.append(f"{mine.bit_rate / 1000:,.0f} kbit/s, not {its.bit_rate / 1000:,.0f}")
    if mine.seconds and its.seconds and abs(mine.seconds - its.seconds) > 1:
        found.append(f"{_clock(mine.seconds)} long, not {_clock(its.seconds)}")
    if abs(pair.offset) >= 1:
        found.append(f"begins {abs(pair.offset):.0f} s earlier or later")
    if its.seconds and pair.shared < min(its.seconds, mine.seconds or its.seconds) * _WHOLE:
        found.append(f"shares {_clock(pair.shared)}")
    for word, one, another in (("title", mine.title, its.title), ("album", mine.album, its.album)):
        if one and another and one != another:
            found.append(f"another {word}")
    if other.file.size != chosen.file.size:
        found.append(f"{format_size(other.file.size)}, not {format_size(chosen.file.size)}")
    return tuple(found)


def _clock(seconds: float) -> str:
    return f"{round(seconds) // 60}:{round(seconds) % 60:02}"
