"""Pairs of films that show the same: visually different frames agree at one offset, and what is heard does not object.

Key frames of two versions lie at the same moments only where a cut is, or where both begin; so few of them have to
agree, but these with one offset, and where frames of both fall together none may show something else. Where that does
not tell, a pair is open: only the frames between the key frames do.
"""

from collections.abc import Mapping, Sequence
from enum import IntEnum
from typing import Any, NamedTuple

from foldkeep.model import Progress, Step, no_progress
from foldkeep.signals import FRAME_BITS, Agreement, film_frames
from foldkeep.stock import KnownPrint

from .search import near_pairs
from .sounds import LEAST_SECONDS, SoundPair, one_sound_at

_TOGETHER = 0.3  # seconds that agreeing frames may be apart
_AT_ONCE = 0.12  # seconds within which frames of both fall together
_SURE_VIEWS, _LEAST_VIEWS = 3, 2
_MOST_CONTRADICTED, _LEAST_AGREED = 0.25, 0.75
_LEAST_SHARED, _SURELY_SHARED = 0.25, 0.5  # of what the two could share
_SAME_LENGTH, _SAME_LENGTH_SHARE = 0.5, 0.01
_SAME_SOUND = 1.0  # seconds that frames and sound may be apart
_BITS = 256
_LEAST_COMMON = 0.1
_AT_ONCE_COMPARED = 256


class Sureness(IntEnum):
    """How far it is shown that two films show the same."""

    OPEN = 0  # something speaks for it, but frames between the key frames have to be compared
    FAIR = 1
    STRONG = 2


class FilmPair(NamedTuple):
    """Two films that show the same.

    Attributes
    ----------
    like
        Part of the bits that agree in the frames that do, up to 1.
    offset
        Seconds at which `one` begins in `other`; negative if it begins before that.
    shared, common
        Seconds that they are known to have in common, and that they could have at that offset.
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
    common: float
    views: int
    heard: bool | None
    as_long: bool
    sureness: Sureness

    @property
    def is_strong(self) -> bool:
        """Tell whether frames, and sound, leave no doubt."""
        return self.sureness is Sureness.STRONG


class _Film(NamedTuple):
    """A film by its frames.

    Attributes
    ----------
    seconds
        How long it is.
    at, view
        Of each frame, its second, and the number of the view that it shows.
    prints, first
        The prints of all frames, one or two for each, and where those of each frame begin.
    of_views
        Prints of one frame of each view.
    """

    seconds: float
    at: Any
    view: Any
    prints: Any
    first: Any
    of_views: Any


def like_films(
    prints: Sequence[KnownPrint],
    sounds: Sequence[bytes],
    heard: Mapping[tuple[int, int], SoundPair],
    progress: Progress = no_progress,
) -> list[FilmPair]:
    """Return the pairs of films that show the same, or may, each once, with where and for how long.

    Parameters
    ----------
    sounds
        Prints of their sounds; empty where there is none.
    heard
        What was found of these, by the numbers of both films, the lower first.
    """
    films = [_film(each.print) for each in prints]
    candidates = sorted(_candidates(films) | set(heard))
    found: list[FilmPair] = []
    for number, (one, other) in enumerate(candidates):
        if number % 64 == 0:
            progress(Step("Comparing films", number, len(candidates), "pairs"))
        pair = _aligned(one, other, films[one], films[other], heard.get((one, other)), sounds)
        if pair is not None:
            found.append(pair)
    return found


def _film(print_: bytes) -> _Film:
    import numpy as np

    seconds, _, moments, prints = film_frames(print_)
    order = np.argsort(moments, kind="stable")  # not every file has its frames in order
    prints = prints[order]
    at, first = np.unique(moments[order], return_index=True)
    view = np.zeros(len(at), int)
    shown: list[int] = []
    for number, each in enumerate(prints[first]):
        apart = np.bitwise_count(prints[first[shown]] ^ each).sum(axis=1)
        nearest = int(apart.argmin()) if shown else 0
        if shown and apart[nearest] <= FRAME_BITS.view:
            view[number] = nearest
        else:
            view[number] = len(shown)
            shown.append(number)
    ends = np.append(first[1:], len(prints))
    rows = np.concatenate([np.arange(first[number], ends[number]) for number in shown])
    return _Film(seconds, at, view, prints, first, prints[rows])


def _candidates(films: Sequence[_Film]) -> set[tuple[int, int]]:
    """Return the pairs of films that have a view in common."""
    import numpy as np

    if len(films) < 2:
        return set()
    views = np.concatenate([film.of_views for film in films])
    owner = np.repeat(np.arange(len(films)), [len(film.of_views) for film in films])
    found: set[tuple[int, int]] = set()
    for here, there, _ in near_pairs(views, views, FRAME_BITS.same):
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
    sureness = Sureness.STRONG if is_sure else Sureness.FAIR
    return pair._replace(views=views, shared=max(pair.shared, pair.common), sureness=sureness)


def _aligned(
    one: int, other: int, mine: _Film, its: _Film, sound: SoundPair | None, sounds: Sequence[bytes]
) -> FilmPair | None:
    """Return how two films agree at the offset at which most of their views do; None if nothing speaks for it."""
    found = _best_agreement(mine, its, sound.offset) if sound else None
    found = found or _best_agreement(mine, its)
    # What is shorter than that cannot be told by its sound.
    heard_long = _common(mine, its, found[3] if found else 0.0) > LEAST_SECONDS + _SAME_SOUND
    has_sound = heard_long and bool(sounds[one] and sounds[other])
    if found is not None:
        at, bits, views, offset = found
        if has_sound and not _is_at(sound, offset):
            sound = one_sound_at(one, other, sounds, offset, _TOGETHER) or sound
        heard = _is_at(sound, offset)
        # Key frames tell it only roughly.
        if sound is not None and heard:
            offset = sound.offset
        elif _as_long(mine, its, offset):
            offset = 0.0
        shared = max(float(at.max() - at.min()), sound.shared if sound is not None and heard else 0.0)
        common = _common(mine, its, offset)
        part = min(1.0, shared / max(common, _LEAST_COMMON))
        as_long = _as_long(mine, its, offset)
        sureness = _sureness(views, part, heard if has_sound else None, as_long)
        if sureness is not None:
            like = 1 - float(bits.mean()) / _BITS
            known = heard if has_sound else None
            # What is shared goes on from one agreeing frame to the next, and to the ends.
            shared = common if part >= _SURELY_SHARED and not heard else shared
            return FilmPair(one, other, like, offset, shared, common, views, known, as_long, sureness)
    return _open_pair(one, other, mine, its, sound, has_sound)


def _open_pair(
    one: int, other: int, mine: _Film, its: _Film, sound: SoundPair | None, has_sound: bool
) -> FilmPair | None:
    """Return a pair for which only its sound speaks, or its length and a view; None if both have another sound."""
    offset = sound.offset if sound else 0.0
    common = _common(mine, its, offset)
    as_long = _as_long(mine, its, offset)
    speaks = sound.shared >= _SURELY_SHARED * common if sound else as_long and not has_sound
    if not speaks:
        return None
    like = 1 - FRAME_BITS.same / _BITS
    return FilmPair(one, other, like, offset, common, common, 0, bool(sound) or None, as_long, Sureness.OPEN)


def _is_at(sound: SoundPair | None, offset: float) -> bool:
    return sound is not None and abs(sound.offset - offset) <= _SAME_SOUND


def _common(mine: _Film, its: _Film, offset: float) -> float:
    """Return the seconds that two films could have in common at an offset."""
    return min(mine.seconds, its.seconds - offset) - max(0.0, -offset)


def _as_long(mine: _Film, its: _Film, offset: float) -> bool:
    apart = abs(mine.seconds - its.seconds)
    return abs(offset) <= _SAME_LENGTH and apart <= max(_SAME_LENGTH, _SAME_LENGTH_SHARE * its.seconds)


def _best_agreement(mine: _Film, its: _Film, hint: float | None = None) -> tuple[Any, Any, int, float] | None:
    """Return where frames agree at the offset at which most views do, in how many bits, how many views, and the offset.

    None if none agree, or too many show something else.

    Parameters
    ----------
    hint
        Only offsets near this one count.
    """
    import numpy as np

    bits = _bits_apart(mine, its)
    apart = its.at[None, :] - mine.at[:, None]
    near = (
        bits <= FRAME_BITS.same if hint is None else (bits <= FRAME_BITS.same) & (np.abs(apart - hint) <= _SAME_SOUND)
    )
    here, there = np.nonzero(near)
    if not len(here):
        return None
    offset = _best_offset(apart[here, there], mine.view[here], its.view[there])
    agree = np.abs(apart[here, there] - offset) <= _TOGETHER
    here, there = here[agree], there[agree]
    contradicted = int(((np.abs(apart - offset) <= _AT_ONCE) & (bits >= FRAME_BITS.other)).any(axis=1).sum())
    if not len(here) or contradicted > _MOST_CONTRADICTED * (contradicted + len(np.unique(here))):
        return None
    views = min(len(np.unique(mine.view[here])), len(np.unique(its.view[there])))
    return mine.at[here], bits[here, there], views, offset


def _bits_apart(mine: _Film, its: _Film) -> Any:
    """Return in how many bits the frames of two films differ, in their prints that do least."""
    import numpy as np

    found = np.empty((len(mine.at), len(its.at)), np.uint16)
    for start in range(0, len(mine.at), _AT_ONCE_COMPARED):
        frames = mine.first[start : start + _AT_ONCE_COMPARED]
        end = mine.first[start + len(frames)] if start + len(frames) < len(mine.first) else len(mine.prints)
        rows = mine.prints[frames[0] : end]
        bits = np.zeros((len(rows), len(its.prints)), np.uint16)
        for word in range(rows.shape[1]):
            bits += np.bitwise_count(rows[:, None, word] ^ its.prints[None, :, word])
        least = np.minimum.reduceat(bits, its.first, axis=1)
        found[start : start + len(frames)] = np.minimum.reduceat(least, frames - frames[0], axis=0)
    return found


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
    if (enough and part >= _LEAST_SHARED) or as_long:
        return Sureness.FAIR
    return Sureness.OPEN if enough else None


def _best_offset(apart: Any, mine: Any, its: Any) -> float:
    """Return the offset at which most different views agree; of several the least.

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
            found = (views, -abs(middle))
            if best is None or found > best[0]:
                best = (found, middle)
    return best[1] if best is not None else 0.0
