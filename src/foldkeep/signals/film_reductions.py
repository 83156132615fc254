"""Whether one film shows and sounds as another, with less in it: a proxy of a clip.

Every frame is decoded, and every sample. Only the helper process of `foldkeep.signals.media_worker` comes here.
"""

from collections import Counter
from itertools import zip_longest
from typing import TYPE_CHECKING, Any

from foldkeep.model.work import in_blocks
from foldkeep.storage.local.reading import FILE, open_path

from .media import undecodable
from .reductions import LEAST_CELLS, MOST_LIGHT_APART, OTHER_LIGHT, cells_apart, cells_of, more_words, shapes_apart

if TYPE_CHECKING:
    from collections.abc import Iterator

_RATE, _MERGED = 48_000, 6  # samples a second; so many are one where they are compared: up to 4 kHz, as voices are
_WINDOW = _RATE // 4
_MOST_LAG = _RATE // 20  # what encoders put before the first sample, if the container does not tell
_LAG_WINDOWS = 16
_MOST_LATE = 60 * _RATE
# What AAC at 64 kbit/s a channel loses stays below a hundredth of a window's energy; a voice a tenth as loud as the
# music that it was laid over, in energy, does not.
_MOST_LOST = 0.03
_MOST_LIGHT_APART_IN_A_FRAME = 2.0
_SILENCE = 1e-6  # the mean square of what is too quiet to be compared, of full scale


def film_difference(made: bytes, source: bytes) -> str:
    """Return what keeps a film from being a mere reduction of another; empty if it is one.

    It is one if it has the same frames at the same moments with fewer pixels of the same shape, no more tracks,
    channels, bits or words than its source, if the means of the cells of every frame agree, and if every sound track
    is, sample by sample, one of the source's within what a codec loses. A film that was cut, graded, titled or given
    another sound does not agree.

    Raises
    ------
    OSError
        If the system does not let one of them be read.
    """
    words = more_words(made, source, "video")
    if words:
        return words
    try:
        return _tracks_apart(made, source) or _pictures_apart(made, source) or _sounds_apart(made, source)
    except Exception as error:  # PyAV raises whatever a broken file leads it to
        undecodable(error)
        return "one of the two cannot be decoded"


class _Open:
    """A film open to be read."""

    def __init__(self, path: bytes) -> None:
        import av

        self._file = open(open_path(path, FILE), "rb")  # noqa: SIM115 - closed with the film
        try:
            self.clip = av.open(self._file, "r", metadata_errors="replace")
        except BaseException:
            self._file.close()
            raise

    def __enter__(self) -> Any:
        return self.clip

    def __exit__(self, *_error: object) -> None:
        self.clip.close()
        self._file.close()


def _tracks_apart(made: bytes, source: bytes) -> str:
    with _Open(made) as one, _Open(source) as other:
        mine, its = (Counter(track.type for track in clip.streams) for clip in (one, other))
        if mine["video"] != 1 or its["video"] != 1:
            return "one of the two has not just one track of pictures"
        if mine["audio"] != its["audio"]:
            return "it has not as many sound tracks as its source"
        if any(mine[word] > its[word] for word in mine) or len(one.chapters()) > len(other.chapters()):
            return "it has tracks or chapters that its source has not"
        tracks = zip(one.streams.audio, other.streams.audio, strict=True)
        if any(mine.codec_context.channels > its.codec_context.channels for mine, its in tracks):
            return "it has more sound channels than its source"
    return ""


def _pictures_apart(made: bytes, source: bytes) -> str:
    import numpy as np

    cells: tuple[int, int] | None = None
    light, count = np.zeros(3), 0
    with _Open(made) as one, _Open(source) as other:
        for mine, its in zip_longest(one.decode(video=0), other.decode(video=0)):
            if mine is None or its is None:
                return "it has not as many frames as its source"
            if mine.time is None or its.time is None:
                return "its frames tell no times"
            if cells is None:
                if problem := _shapes_apart(mine, its):
                    return problem
                cells = cells_of(_upright_size(mine))
                if min(cells) < LEAST_CELLS:
                    return "it is too small to be compared"
                start, its_start = mine.time, its.time
                half = 0.5 / float(one.streams.video[0].average_rate or 25)
            if abs((mine.time - start) - (its.time - its_start)) > half:
                return "its frames are not at the same moments"
            shown, its_shown = _cells(mine, cells), _cells(its, cells)
            if problem := cells_apart(shown, its_shown, _MOST_LIGHT_APART_IN_A_FRAME):
                return problem
            light = light + (shown - its_shown).mean(axis=(0, 1))
            count += 1
    if cells is None:
        return "one of the two has no pictures"
    return OTHER_LIGHT if np.abs(light / count).max() > MOST_LIGHT_APART else ""


def _shapes_apart(mine: Any, its: Any) -> str:
    if len(mine.format.components) > len(its.format.components):
        return "it has more channels than its source"
    if max(each.bits for each in mine.format.components) > max(each.bits for each in its.format.components):
        return "it has more bits than its source"
    return shapes_apart(_upright_size(mine), _upright_size(its))


def _is_turned(frame: Any) -> bool:
    return bool(round(frame.rotation / 90) % 2)


def _upright_size(frame: Any) -> tuple[int, int]:
    return (frame.height, frame.width) if _is_turned(frame) else (frame.width, frame.height)


def _cells(frame: Any, cells: tuple[int, int]) -> Any:
    """Return the means of the cells of a frame, upright, as signed integers of luma and both chromas (ITU-R BT.601)."""
    import numpy as np

    width, height = cells[::-1] if _is_turned(frame) else cells
    # To RGB the library rounds by up to three levels.
    small = frame.reformat(
        width, height, "yuv444p", dst_colorspace="ITU601", dst_color_range="MPEG", interpolation="AREA"
    )
    upright = np.rot90(small.to_ndarray(), round(frame.rotation / 90) % 4, axes=(1, 2))
    return upright.transpose(1, 2, 0).astype(np.int16)


def _sounds_apart(made: bytes, source: bytes) -> str:
    with _Open(made) as clip:
        layouts = [track.layout.name for track in clip.streams.audio]
    for number, layout in enumerate(layouts):
        lag = _lag(_windows(made, number, layout), _windows(source, number, layout))
        mine = _windows(made, number, layout, max(0, lag))
        its = _windows(source, number, layout, max(0, -lag))
        if not all(_sound_alike(one, other) for one, other in zip_longest(mine, its)):
            return "it does not sound the same all through"
    return ""


def _windows(path: bytes, number: int, layout: str, skipped: int = 0) -> "Iterator[Any]":
    """Yield windows of the samples of a sound track since a film's first picture: a row a channel; the last is shorter.

    Parameters
    ----------
    layout
        The channels that it is mixed to.
    skipped
        How many samples are left out first.
    """
    import numpy as np

    waiting: list[Any] = []
    count = 0
    for part in _samples(path, number, layout):
        taken, skipped = part[:, skipped:], max(0, skipped - part.shape[1])
        waiting.append(taken)
        count += taken.shape[1]
        if count >= _WINDOW:
            joined = np.concatenate(waiting, axis=1)
            whole = count - count % _WINDOW
            yield from np.split(joined[:, :whole], whole // _WINDOW, axis=1)
            waiting, count = [joined[:, whole:]], count - whole
    if count:
        yield np.concatenate(waiting, axis=1)


def _samples(path: bytes, number: int, layout: str) -> "Iterator[Any]":
    import av
    import numpy as np

    with _Open(path) as clip:
        track, pictures = clip.streams.audio[number], clip.streams.video[0]
        start = float((pictures.start_time or 0) * pictures.time_base)
        resampler = av.AudioResampler(format="fltp", layout=layout, rate=_RATE)
        early: int | None = None
        for frame in clip.decode(track):
            for part in resampler.resample(frame):
                samples = part.to_ndarray()
                if early is None:
                    early = round((start - (frame.time or 0.0)) * _RATE)
                    yield np.zeros((len(samples), min(max(0, -early), _MOST_LATE)), np.float32)
                yield samples[:, max(0, early) :]
                early = max(0, early - samples.shape[1])
        for part in resampler.resample(None):
            yield part.to_ndarray()


def _lag(mine: "Iterator[Any]", its: "Iterator[Any]") -> int:
    """Return how many samples later what sounds in the one begins than in the other; 0 where neither sounds."""
    import numpy as np

    for block in in_blocks(zip(mine, its, strict=False), _LAG_WINDOWS):
        one, other = (np.concatenate([pair[side].sum(axis=0) for pair in block]) for side in (0, 1))
        if min(float(np.square(one).mean()), float(np.square(other).mean())) > _SILENCE:
            return _best_lag(one, other)
    return 0


def _best_lag(one: Any, other: Any) -> int:
    import numpy as np

    length = len(one) + len(other)
    product = np.fft.irfft(np.fft.rfft(one, length) * np.conj(np.fft.rfft(other, length)), length)
    lags = np.arange(-_MOST_LAG, _MOST_LAG + 1)
    return int(lags[product[lags].argmax()])


def _sound_alike(mine: Any, its: Any) -> bool:
    """Tell whether two windows sound the same; of those at the end the one may be longer, or there alone."""
    import numpy as np

    if mine is None or its is None:
        return float(np.square(its if mine is None else mine).mean()) <= _SILENCE
    length = min(mine.shape[1], its.shape[1]) // _MERGED * _MERGED
    one, other = (each[:, :length].reshape(len(each), -1, _MERGED).mean(axis=2) for each in (mine, its))
    energy = max(float(np.square(one).sum()), float(np.square(other).sum()))
    return bool(float(np.square(one - other).sum()) <= _MOST_LOST * energy + _SILENCE * one.size)
