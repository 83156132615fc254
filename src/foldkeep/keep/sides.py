"""The contents of a set that has several: what they look or sound like, laid over the first one where they agree."""

from collections.abc import Iterator, Sequence
from contextlib import ExitStack
from dataclasses import dataclass, field
from types import TracebackType
from typing import NamedTuple, Self

from foldkeep.find.likeness import FilmPair, Measured, NotAlike, Pair, SoundPair, measured, opposite
from foldkeep.signals import MEDIA, Apart, Extractor, Medium, NotRead
from foldkeep.stock import KnownPrint, Prints, Stock

MOST_SIDES = 24
"""How many contents of one set are compared with its first."""

_MOMENTS = 6


class Laid(NamedTuple):
    """How a content lies on the first one of its set.

    Attributes
    ----------
    like
        How much both are alike, up to 1.
    cut
        Of a crop, the part of the larger picture that is missing at the left, top, right and bottom; else None.
    layout
        How the smaller one, or either, is turned or mirrored against the other, see `foldkeep.find.likeness.layouts`.
    is_on_first
        Whether it lies on the first one; else that lies on it.
    offset
        Seconds at which it begins in the first one.
    moments
        Of films, the seconds of the first one at which both are shown.
    first_pictures
        JPEGs of the first one at those moments.
    within
        Whether what lies on one another is what lies within a border: of this one, and of the first.
    first_border
        Which part of `first_pictures` is a border.
    """

    like: float
    cut: tuple[float, float, float, float] | None = None
    layout: int = 0
    is_on_first: bool = True
    offset: float = 0.0
    moments: tuple[float, ...] = ()
    first_pictures: tuple[bytes, ...] = ()
    within: tuple[bool, bool] = (False, False)
    first_border: tuple[float, ...] = ()


class Side(NamedTuple):
    """One content of a set.

    Attributes
    ----------
    file
        The copy that stands for it.
    pictures
        JPEGs: a photo, or frames of a film at the moments of `laid`.
    swings, seconds
        How far a sound swings in each part of its length, 0 to 255, and how long such a part is.
    border
        Which part of its pictures is a border, at the left, top, right and bottom; empty if there is none.
    laid
        How it lies on the first one; None of that itself, and of what is not alike.
    """

    file: Medium
    pictures: tuple[bytes, ...] = ()
    swings: bytes = b""
    seconds: float = 0.0
    border: tuple[float, ...] = ()
    laid: Laid | None = None


@dataclass
class SideReader:
    """Looks at contents and compares them; what was printed before is not printed again."""

    stock: Stock
    _helper: Apart = field(default_factory=Apart)
    _opened: ExitStack = field(default_factory=ExitStack)
    _prints: dict[Extractor, Prints] = field(default_factory=dict)

    def sides(self, files: Sequence[Medium]) -> Iterator[Side]:
        """Yield what is to be seen of files of different contents, the first one of which the others are laid on."""
        if not files or files[0].kind not in MEDIA:
            return
        first = files[0]
        yield self._side(first, None)
        for file in files[1:MOST_SIDES]:
            yield self._side(file, self._laid(file, first) if file.kind == first.kind else None)

    def _side(self, file: Medium, laid: Laid | None) -> Side:
        moments = [moment - laid.offset for moment in laid.moments] if laid else []
        try:
            view = self._helper.view(file.path, file.kind, moments)
        except NotRead:
            return Side(file, laid=laid)
        return Side(file, view.pictures, view.swings, view.seconds, view.border, laid)

    def _laid(self, file: Medium, first: Medium) -> Laid | None:
        try:
            found = measured(file, first, self._print, self._helper)
            return None if found is None else self._placed(found, first)
        except (NotAlike, NotRead):
            return None

    def _placed(self, found: Measured, first: Medium) -> Laid:
        pair = found.pair
        is_on_first = pair.other == 1
        if isinstance(pair, Pair):
            return _laid_picture(pair, is_on_first=is_on_first)
        if isinstance(pair, SoundPair):
            return Laid(pair.like, offset=pair.offset if is_on_first else -pair.offset)
        if not isinstance(pair, FilmPair):
            return Laid(pair.like)
        start = max(0.0, pair.offset)
        moments = tuple(round(start + pair.common * (number + 0.5) / _MOMENTS, 2) for number in range(_MOMENTS))
        view = self._helper.view(first.path, first.kind, moments)
        return Laid(
            pair.like, offset=pair.offset, moments=moments,
            first_pictures=view.pictures, within=(True, True), first_border=view.border,
        )  # fmt: skip

    def _print(self, extractor: Extractor, file: Medium) -> KnownPrint:
        if extractor not in self._prints:
            kept = Prints(self.stock.path, extractor.name, extractor.version)
            self._prints[extractor] = self._opened.enter_context(kept)
        kept = self._prints[extractor]
        known = kept.of(file.digest) if file.digest else None
        if known is None:
            known = self._helper.print(extractor, file.path, file.size)
            if file.digest:
                kept.put({file.digest: known})
        return known

    def __enter__(self) -> Self:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self._helper.close()
        self._opened.close()


def _laid_picture(pair: Pair, *, is_on_first: bool) -> Laid:
    within = pair.within if is_on_first else pair.within[::-1]
    layout = pair.layout
    if pair.cut is None and pair.within == (True, False):  # what has a border shows more: the other lies on it
        is_on_first, layout = not is_on_first, opposite(layout)
    return Laid(pair.like, pair.cut, layout, is_on_first, within=within)
