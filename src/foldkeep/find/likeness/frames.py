"""Pairs of films that show the same: visually different frames agree at one offset, and what is heard does not object.

Key frames of two versions lie at the same moments only where a cut is, or where both begin; so few of them have to
agree, but these with one offset, and where frames of both fall together none may show something else. Where that does
not tell, a pair is open: only the frames between the key frames do.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from enum import IntEnum
from typing import Any

from foldkeep.model import Progress, Step, no_progress
from foldkeep.signals import Agreement, film_frames
from foldkeep.stock import KnownPrint

from .search import near_pairs
from .sounds import SoundPair

_FRAME_BITS = 52  # in which the prints of two frames may differ that show the same
_OTHER_BITS = 90  # from where on they show something else
_VIEW_BITS = 40  # a frame of one film that differs by more from those before it is another view
_TOGETHER = 0.3  # seconds that agreeing frames may be apart
_AT_ONCE = 0.12  # seconds within which frames of both fall together
_SURE_VIEWS, _LEAST_VIEWS = 3, 2
_MOST_CONTRADICTED, _LEAST_AGREED = 0.25, 0.75
_LEAST_SHARED, _SURELY_SHARED = 0.25, 0.5  # of what the two could share
_SAME_LENGTH, _SAME_LENGTH_SHARE = 0.5, 0.01
_SAME_SOUND = 1.0  # seconds that frames and sound may be apart
_BITS = 256
_MOST_CELLS = 4_000_000


class Sureness(IntEnum):
    """How far it is shown that two films show the same."""

    OPEN = 0  # something speaks for it, but frames between the key frames have to be compared
    FAIR = 1
    STRONG = 2


@dataclass(frozen=True, slots=True)
class FilmPair:
    """Two films that show the same.

    Attributes
    ----------
    like
        Part of the bits that agree in the frames that do, up to 1.
    offset
        Seconds at which `one` begins in `other`; negative if it begins before that.
    shared
        Seconds that they have in common.
    views
        How many visually different frames agree.
    heard
        Whether both have the same sound there; None if that is not known of one of them.
    as_long
        Whether both begin and end together.
    """

    one: int
    other: int
    like: float
    offset: float
    shared: float
    views: int
    heard: bool | None
    as_long: bool
    sureness: Sureness

    @property
    def is_strong(self) -> bool:
        """Tell whether frames, and sound, leave no doubt."""
        return self.sureness is Sureness.STRONG


@dataclass(frozen=True, slots=True)
class _Film:
    """The frames of a film: its length, the second of each, its print, and which view it is of."""

    seconds: float
    at: Any
    prints: Any
    view: Any
    firsts: Any


def like_films(
    prints: Sequence[KnownPrint],
    heard: Mapping[tuple[int, int], SoundPair],
    sounding: frozenset[int] = frozenset(),
    progress: Progress = no_progress,
) -> list[FilmPair]:
    """Return the pairs of films that show the same, or may, each once, with where and for how long.

    Parameters
    ----------
    heard
        What was found of their sounds, by the numbers of both films, the lower first.
    sounding
        Numbers of the films whose sound has a print.
    """
    films = [_film(each.print) for each in prints]
    candidates = sorted(_candidates(films) | set(heard))
    found: list[FilmPair] = []
    for number, (one, other) in enumerate(candidates):
        if number % 64 == 0:
            progress(Step("Comparing films", number, len(candidates), "pairs"))
        sound = heard.get((one, other))
        same = sound is not None if one in sounding and other in sounding else None
        pair = _aligned(one, other, films[one], films[other], sound, same)
        if pair is not None:
            found.append(pair)
    return found


def _film(print_: bytes) -> _Film:
    import numpy as np

    seconds, _, at, prints = film_frames(print_)
    view = np.zeros(len(prints), int)
    firsts: list[int] = []
    for number, each in enumerate(prints):
        if firsts:
            apart = np.bitwise_count(prints[firsts] ^ each).sum(axis=1)
            nearest = int(apart.argmin())
            if apart[nearest] <= _VIEW_BITS:
                view[number] = nearest
                continue
        view[number] = len(firsts)
        firsts.append(number)
    return _Film(seconds, at, prints, view, np.array(firsts, int))


def _candidates(films: Sequence[_Film]) -> set[tuple[int, int]]:
    """Return the pairs of films that have a view in common."""
    import numpy as np

    if len(films) < 2:
        return set()
    views = np.concatenate([film.prints[film.firsts] for film in films])
    owner = np.repeat(np.arange(len(films)), [len(film.firsts) for film in films])
    found: set[tuple[int, int]] = set()
    for here, there, _ in near_pairs(views, views, _FRAME_BITS):
        one, other = owner[here], owner[there]
        apart = one < other
        found.update(zip(one[apart].tolist(), other[apart].tolist(), strict=True))
    return found


def compared(pair: FilmPair, found: Agreement) -> FilmPair | None:
    """Return what is to be said of a pair whose frames at the same moments were compared; None if nothing."""
    if not found.compared:
        return None if pair.sureness is Sureness.OPEN else pair
    if found.agreed < _LEAST_AGREED * found.compared:
        return None
    views = max(pair.views, found.views)
    is_sure = views >= _SURE_VIEWS or (pair.heard and found.agreed >= _LEAST_VIEWS)
    if not is_sure and not pair.heard and found.agreed < _LEAST_VIEWS and not pair.as_long:
        return None
    return replace(pair, views=views, sureness=Sureness.STRONG if is_sure else Sureness.FAIR)


def _aligned(
    one: int, other: int, mine: _Film, its: _Film, sound: SoundPair | None, same: bool | None
) -> FilmPair | None:
    """Return how two films agree at the offset at which most of their views do; None if nothing speaks for it."""
    found = _best_agreement(mine, its, None if sound is None else sound.offset)
    if found is not None:
        at, bits, views, offset = found
        could = _common(mine, its, offset)
        heard = same if sound is None else abs(sound.offset - offset) <= _SAME_SOUND
        shared = max(float(at.max() - at.min()), sound.shared if sound is not None and heard else 0.0)
        as_long = _as_long(mine, its, offset)
        sureness = _sureness(views, min(1.0, shared / max(could, 0.1)), heard, as_long)
        if sureness is not None:
            like = 1 - float(bits.mean()) / _BITS
            return FilmPair(one, other, like, offset, shared, views, heard, as_long, sureness)
    offset = 0.0 if sound is None else sound.offset
    could = _common(mine, its, offset)
    as_long = _as_long(mine, its, offset)
    is_open = sound.shared >= _SURELY_SHARED * could if sound is not None else as_long and same is not False
    if not is_open:
        return None
    return FilmPair(one, other, 1 - _FRAME_BITS / _BITS, offset, could, 0, same, as_long, Sureness.OPEN)


def _common(mine: _Film, its: _Film, offset: float) -> float:
    """Return the seconds that two films could have in common at an offset."""
    return min(mine.seconds, its.seconds - offset) - max(0.0, -offset)


def _as_long(mine: _Film, its: _Film, offset: float) -> bool:
    apart = abs(mine.seconds - its.seconds)
    return abs(offset) <= _SAME_LENGTH and apart <= max(_SAME_LENGTH, _SAME_LENGTH_SHARE * its.seconds)


def _best_agreement(mine: _Film, its: _Film, hint: float | None) -> tuple[Any, Any, int, float] | None:
    """Return where frames agree at the offset at which most views do, in how many bits, how many views, and the offset.

    None if none agree, or too many show something else.
    """
    import numpy as np

    step = max(1, -(-len(mine.prints) * len(its.prints) // _MOST_CELLS))
    prints, at, view = mine.prints[::step], mine.at[::step], mine.view[::step]
    bits = np.zeros((len(prints), len(its.prints)), np.uint16)
    for word in range(prints.shape[1]):
        bits += np.bitwise_count(prints[:, None, word] ^ its.prints[None, :, word])
    apart = its.at[None, :] - at[:, None]
    here, there = np.nonzero(bits <= _FRAME_BITS)
    if not len(here):
        return None
    offset = _best_offset(apart[here, there], view[here], its.view[there], hint)
    agree = np.abs(apart[here, there] - offset) <= _TOGETHER
    here, there = here[agree], there[agree]
    contradicted = int(((np.abs(apart - offset) <= _AT_ONCE) & (bits >= _OTHER_BITS)).any(axis=1).sum())
    if not len(here) or contradicted > _MOST_CONTRADICTED * (contradicted + len(np.unique(here))):
        return None
    views = min(len(np.unique(view[here])), len(np.unique(its.view[there])))
    return at[here], bits[here, there], views, offset


def _sureness(views: int, part: float, heard: bool | None, as_long: bool) -> Sureness | None:
    """Return how far what agrees shows that two films show the same; None if it does not.

    Parameters
    ----------
    part
        How much of what the two could share they do.
    as_long
        Whether both begin and end together.
    """
    if heard and part >= _SURELY_SHARED and (views >= _LEAST_VIEWS or as_long):
        return Sureness.STRONG
    if views >= _SURE_VIEWS and part >= _SURELY_SHARED:
        return Sureness.STRONG
    if heard is False and views < _SURE_VIEWS:
        return None  # two takes from one tripod
    enough = views >= _LEAST_VIEWS or heard
    return Sureness.FAIR if (enough and part >= _LEAST_SHARED) or as_long else None


def _best_offset(apart: Any, mine: Any, its: Any, hint: float | None) -> float:
    """Return the offset at which most different views agree; of several the one nearest to the hint, or to none.

    Parameters
    ----------
    apart, mine, its
        Of each pair of frames that are alike, the seconds between them, and the views that they are of.
    """
    import numpy as np

    best: tuple[tuple[int, float], float] | None = None
    for shift in (0, 1):  # windows that overlap by half
        window = np.floor(apart / _TOGETHER + shift) // 2
        for each in np.unique(window).tolist():
            within = window == each
            views = min(len(np.unique(mine[within])), len(np.unique(its[within])))
            middle = float(np.median(apart[within]))
            found = (views, -abs(middle - (hint or 0.0)))
            if best is None or found > best[0]:
                best = (found, middle)
    return best[1] if best is not None else 0.0
