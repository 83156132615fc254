"""How films are grouped: versions of one film."""

from collections.abc import Iterator, Sequence

from foldkeep.signals import film_frames

from .differences import difference_of_pixels, difference_of_size, differences_of_played, pixels_within, said_reasons
from .frames import FilmPair
from .groups import Content, Member, What

_NEAR = 1.0


class Films:
    """Judges films."""

    def rank(self, content: Content) -> tuple[object, ...]:
        """Return what makes a film likelier the original: pixels within bars, then length, bits a second, bytes."""
        facts, within = content.facts, film_frames(content.print.print).shown
        pixels = pixels_within(content.pixels, within)
        return pixels, within == 1, round(facts.seconds or 0), facts.bit_rate or 0, content.file.size, content.file.path

    def what(self, chosen: Content, other: Content, pair: FilmPair, number: int) -> What | None:  # noqa: ARG002
        """Return that films which are alike are versions of one; None if they are rather takes of one view."""
        moments = {(each.facts.captured or "")[:19] for each in (chosen, other)} - {""}
        return None if pair.views == 1 and not pair.heard and len(moments) > 1 else What.FILM

    def members(self, what: What, chosen: Content, others: Sequence[tuple[Content, FilmPair]]) -> list[Member]:  # noqa: ARG002
        """Return the members of a group with what differs."""
        found = [Member(chosen, None, True, _why_original(chosen, [content for content, _ in others]))]
        found += [Member(content, pair, False, "", tuple(_differs(chosen, content, pair))) for content, pair in others]
        return found


def _why_original(chosen: Content, others: Sequence[Content]) -> str:
    facts = chosen.facts
    return said_reasons(
        {
            "most pixels": all(chosen.pixels > each.pixels for each in others),
            "the longest": all((facts.seconds or 0) > (each.facts.seconds or 0) + _NEAR for each in others),
            "most bits a second": all((facts.bit_rate or 0) > (each.facts.bit_rate or 0) > 0 for each in others),
            "has sound": bool(facts.audio_codec) and not any(each.facts.audio_codec for each in others),
        }
    )


def _differs(chosen: Content, other: Content, pair: FilmPair) -> Iterator[str]:
    """Yield in what a film differs from the chosen one, in words."""
    mine, its = other.facts, chosen.facts
    yield from difference_of_pixels(chosen, other)
    if mine.video_codec != its.video_codec and mine.video_codec and its.video_codec:
        yield f"{mine.video_codec}, not {its.video_codec}"
    yield from differences_of_played(chosen, other, pair.offset, pair.shared)
    if film_frames(other.print.print).shown < film_frames(chosen.print.print).shown:
        yield "between bars"
    if bool(mine.audio_codec) != bool(its.audio_codec):
        yield "has sound" if mine.audio_codec else "without sound"
    elif pair.heard is False:
        yield "has another sound"
    yield from difference_of_size(chosen, other)
