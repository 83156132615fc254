"""How sounds are grouped: those that share a recording."""

from collections.abc import Iterator, Sequence

from .differences import difference_of_size, differences_of_played, said_reasons
from .groups import Content, Member, What
from .sounds import SoundPair

_LOSSLESS = frozenset(("FLAC", "WAVE", "WAV", "AIFF"))
_FILM = "video"


class Recordings:
    """Judges sounds, and what is heard in films."""

    def rank(self, content: Content) -> tuple[object, ...]:
        """Return what makes a sound likelier the original: without loss, then bits a second, length, bytes."""
        facts = content.facts
        return (content.file.kind != _FILM, facts.format in _LOSSLESS, round(facts.seconds or 0), facts.bit_rate or 0,
                content.file.size, content.file.path)  # fmt: skip

    def what(self, chosen: Content, other: Content, pair: SoundPair, number: int) -> What | None:  # noqa: ARG002
        """Return that sounds which are alike share a recording."""
        return What.RECORDING

    def members(self, what: What, chosen: Content, others: Sequence[tuple[Content, SoundPair]]) -> list[Member]:  # noqa: ARG002
        """Return the members of a group with what differs; of several films with one sound none is the original."""
        is_sound = chosen.file.kind != _FILM
        why = _why_original(chosen, [content for content, _ in others]) if is_sound else ""
        found = [Member(chosen, None, is_sound, why)]
        found += [Member(content, pair, False, "", tuple(_differs(chosen, content, pair))) for content, pair in others]
        return found


def _why_original(chosen: Content, others: Sequence[Content]) -> str:
    facts = chosen.facts
    sounds = [each.facts for each in others if each.file.kind != _FILM]
    return said_reasons(
        {
            "without loss": facts.format in _LOSSLESS and not all(each.format in _LOSSLESS for each in sounds),
            "the longest": all((facts.seconds or 0) > (each.seconds or 0) + 1 for each in sounds),
            "most bits a second": all((facts.bit_rate or 0) > (each.bit_rate or 0) > 0 for each in sounds),
            "a sound by itself": not sounds,
        }
    )


def _differs(chosen: Content, other: Content, pair: SoundPair) -> Iterator[str]:
    """Yield in what a sound differs from the chosen one, in words."""
    mine, its = other.facts, chosen.facts
    if other.file.kind == _FILM:
        yield "with other pictures" if chosen.file.kind == _FILM else "with pictures"
    yield from differences_of_played(chosen, other, pair.offset, pair.shared)
    for word, one, another in (("title", mine.title, its.title), ("album", mine.album, its.album)):
        if one and another and one != another:
            yield f"another {word}"
    yield from difference_of_size(chosen, other)
