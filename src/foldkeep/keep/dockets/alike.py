"""Dockets of pictures, films and sounds that are alike: a suggestion each, and nothing that goes by itself."""

import os
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import replace
from typing import NamedTuple

from foldkeep.find.likeness import (
    STRENGTHS,
    Content,
    DecodedNow,
    Group,
    Member,
    NotAlike,
    Pair,
    What,
    alike_now,
    decoded_now,
    only_of,
)
from foldkeep.model import Action, DocketRow, Progress, Step, no_progress, visible
from foldkeep.model.extras import need
from foldkeep.signals import MediaReader, Medium, sidecars_of
from foldkeep.stock import KnownPrint, Stock

from .lacking import lacking_copies

_WHATS = {
    What.VERSIONS: "a version of it",
    What.MOMENT: "of the same moment",
    What.CROP: "a crop of it",
    What.RECORDING: "the same recording",
    What.FILM: "a version of it",
}


def alike_rows(groups: Iterable[Group]) -> Iterator[DocketRow]:
    """Yield docket rows for groups; each file is left, with what is suggested as its reason.

    Of copies with one content the group has one: `keep` proposes which of them stays.
    """
    for group in groups:
        for member in group.members:
            file = member.content.file
            yield DocketRow(
                group.id, Action.LEAVE, file.path, file.size, file.kind, file.modified_ns, file.digest,
                _suggestion(group, member),
            )  # fmt: skip


class AlikeKeeper(NamedTuple):
    """What was found out again of a row that is to go though no copy of its content stays.

    Attributes
    ----------
    keeper
        The row that stays, which it is alike; None if it is alike none.
    like
        How much, up to 1.
    is_strong
        Whether that leaves no doubt.
    decoded
        What both decode to, in words, if that is the same; else empty.
    only
        What only the one that is to go has, in words.
    refusal
        Why it must stay; empty if it may go.
    """

    keeper: DocketRow | None = None
    like: float = 0.0
    is_strong: bool = False
    decoded: str = ""
    only: tuple[str, ...] = ()
    refusal: str = ""

    @property
    def strength(self) -> str:
        """How sure that is, in a word."""
        return "the same" if self.decoded else STRENGTHS[0] if self.is_strong else STRENGTHS[1]


def alike_again(stock: Stock, rows: Sequence[DocketRow], progress: Progress = no_progress) -> dict[bytes, AlikeKeeper]:
    """Measure again how the files of a docket that have no copy in their set are alike to what stays there, by path.

    Both are decoded, or printed, and compared now. Only files of which the docket gives the digest, as that of their
    keeper, may go so.
    """
    asked, staying = lacking_copies(rows)
    found: dict[bytes, AlikeKeeper] = {}
    if asked:
        need("media")
    with MediaReader(stock) as reader:
        for number, row in enumerate(asked):
            progress(Step("Measuring likeness", number, len(asked), "files"))
            found[row.path] = _measured(reader, row, staying[row.set])
    return found


def _measured(reader: MediaReader, row: DocketRow, others: Sequence[DocketRow]) -> AlikeKeeper:
    why = ""
    for keeper in others:
        try:
            if both := decoded_now(_medium(row), _medium(keeper)):
                return _decoded(reader, row, keeper, both)
            found = alike_now(_medium(row), _medium(keeper))
        except NotAlike as error:
            why = why or str(error)
            continue
        spare, kept = (
            Content([], reader.facts(_medium(each)), known)
            for each, known in zip((row, keeper), found.prints, strict=True)
        )
        only = [*_more_shown(found.pair), *only_of(spare, kept), *_sidecars_left(row.path)]
        return AlikeKeeper(keeper, found.pair.like, found.pair.is_strong, only=tuple(only))
    return AlikeKeeper(refusal=why)


def _decoded(reader: MediaReader, row: DocketRow, keeper: DocketRow, both: DecodedNow) -> AlikeKeeper:
    none = KnownPrint()
    # What is coded in more bits is no more for it.
    says = (replace(reader.facts(_medium(each)), bit_rate=None) for each in (row, keeper))
    spare, kept = (Content([], facts, none) for facts in says)
    only = (*both.more, *only_of(spare, kept), *_sidecars_left(row.path))
    return AlikeKeeper(keeper, 1.0, True, both.what, only)


def _medium(row: DocketRow) -> Medium:
    return Medium(row.path, row.kind, row.size, row.modified_ns, row.digest)


def _more_shown(pair: object) -> Iterator[str]:
    """Yield that the keeper is a crop of the spare, if it is."""
    if isinstance(pair, Pair) and pair.cut is not None and pair.other == 0:
        yield "what its keeper was cropped by"


def _sidecars_left(path: bytes) -> Iterator[str]:
    for name, _ in sidecars_of(path):
        yield f"the sidecar {visible(os.path.basename(name))}, which stays where it is"


def _suggestion(group: Group, member: Member) -> str:
    if member.likely_original:
        return f"suggested keeper: {member.why}"
    words = [member.why or ("one of a moment" if member.pair is None else _WHATS[group.what]), *member.differs]
    return f"{'; '.join(words)} ({group.strength})"
