"""Prints of films: what stays of their pictures when they are compressed again, scaled, trimmed or set between bars.

A print is the prints of a film's key frames, as of photos, with their times. Key frames are whole in every format, so
no others have to be decoded; two versions of a film share those at its cuts, whatever made them.

Only the helper process of `foldkeep.signals.media_worker` comes here.
"""

from contextlib import contextmanager
from typing import TYPE_CHECKING, Any, NamedTuple

from foldkeep.stock import KnownPrint
from foldkeep.storage.local.reading import FILE, open_path

from .media import undecodable
from .photo_prints import WORKING, is_plain, print_of, within_border

if TYPE_CHECKING:
    from collections.abc import Iterator, Sequence

LEAST_STEP, STEP = 1.0, 6.0
"""Seconds that key frames of a print are apart at least, in a film of a minute, and in one of six and more."""

MOST_FRAMES = 2000
_LEAST_SIDE = 16
_AROUND = 0.2
_TICKS = 1000  # parts of a second, and of a whole, that a print tells in
_WORDS_OF_HEAD, _WORDS_OF_FRAME = 2, 5
BYTES_OF_HEAD, BYTES_OF_FRAME = 8 * _WORDS_OF_HEAD, 8 * _WORDS_OF_FRAME
"""Lengths of what a print begins with, and of each print of a frame."""


class FilmFrames(NamedTuple):
    """What the print of a film tells.

    Attributes
    ----------
    seconds
        How long it is.
    shown
        Which part of its pictures lies within bars, up to 1.
    at
        The seconds since its beginning of each print, an array; those of a frame and of what lies within bars are one.
    prints
        Their prints, an array of unsigned 64-bit numbers with one row of four for each.
    """

    seconds: float
    shown: float
    at: Any
    prints: Any


def film_frames(print_: bytes) -> FilmFrames:
    """Return what the print of a film tells."""
    import numpy as np

    words = np.frombuffer(print_, "<u8")
    rows = words[_WORDS_OF_HEAD:].reshape(-1, _WORDS_OF_FRAME)
    seconds, shown = (words[:_WORDS_OF_HEAD] / _TICKS).tolist()
    return FilmFrames(seconds, shown, rows[:, 0] / _TICKS, np.ascontiguousarray(rows[:, 1:]))


def film_print(path: bytes) -> KnownPrint:
    """Return the print of a film; of one that is plain all through, or cannot be decoded, why it has none.

    `print` is unsigned 64-bit words, little-endian: the film's length, and how much of its pictures lies within bars,
    in thousandths; then for each frame its moment since the beginning and the four words of its print, and the same
    for what of it lies within bars. Frames that are plain are not in it.

    Raises
    ------
    OSError
        If the system does not let it be read.
    """
    try:
        length, frames = _frames(path)
    except Exception as error:  # PyAV raises whatever a broken file leads it to
        return KnownPrint(problem=undecodable(error))
    if not frames:
        return KnownPrint(problem="it has no pictures")
    boxes = boxes_of([shades for _, shades in frames])
    found = [_ticks(moment) + known for moment, shades in frames for known in frame_prints(shades, boxes)]
    if not found:
        return KnownPrint(problem="it is too plain")
    within = frames[0][1][boxes[-1]].size / frames[0][1].size
    return KnownPrint(b"".join([_ticks(max(length, frames[-1][0])), _ticks(within), *found]))


def _ticks(seconds: float) -> bytes:
    return min(round(seconds * _TICKS), 2**48).to_bytes(8, "little")


def boxes_of(frames: "Sequence[Any]") -> "list[tuple[slice, slice]]":
    """Return the rows and columns of which a film's frames have prints: all, and what lies within bars, if it has some.

    Bars stay where they are all through.
    """
    import numpy as np

    inner = within_border(np.max(frames, axis=0))
    whole = (slice(None), slice(None))
    return [whole] if inner == whole or frames[0][inner].shape == frames[0].shape else [whole, inner]


def frame_prints(shades: Any, boxes: "Sequence[tuple[slice, slice]]") -> list[bytes]:
    """Return the prints of a frame, of each part of it that is not too plain."""
    import numpy as np

    parts = (shades[box].astype(np.float32) for box in boxes)
    return [print_of(part) for part in parts if not is_plain(part)]


def _frames(path: bytes) -> tuple[float, list[tuple[float, Any]]]:
    """Return how long a film is, and of key frames the seconds since its beginning and the shades, all of one size."""
    with opened_film(path) as film:
        if film is None:
            return 0.0, []
        return film.seconds, list(film.key_frames(_step(film.seconds)))


def _step(seconds: float) -> float:
    return max(LEAST_STEP, min(STEP, seconds / 60), seconds / MOST_FRAMES)


@contextmanager
def opened_film(path: bytes) -> "Iterator[Film | None]":
    """Open a film for its pictures; None is given if it has none. Raises what PyAV does if it cannot be read."""
    import av
    from av.stream import Disposition

    with open(open_path(path, FILE), "rb") as file, av.open(file, "r", metadata_errors="replace") as clip:
        track = next((each for each in clip.streams.video if not each.disposition & Disposition.attached_pic), None)
        yield None if track is None else Film(clip, track)


class Film:
    """The pictures of an open film, as shades of grey, upright, of their working size."""

    def __init__(self, clip: Any, track: Any) -> None:
        self._clip, self._track = clip, track
        self._start = float((track.start_time or 0) * track.time_base)
        self._size = _working_size(track.codec_context.width, track.codec_context.height)
        self.seconds = max(0.0, (clip.duration or 0) / 1_000_000)

    def key_frames(self, step: float) -> "Iterator[tuple[float, Any]]":
        """Yield key frames that are a step of seconds apart at least, each with its moment."""
        self._track.codec_context.skip_frame = "NONKEY"
        due, count = 0.0, 0
        for packet in self._clip.demux(self._track):
            moment = self._moment(packet)
            # The last packet has no time; it asks for what the decoder still has.
            if moment is not None and (not packet.is_keyframe or moment < due):
                continue
            due = due if moment is None else moment + step
            for shown in self._shown(packet):
                yield shown
                count += 1
                if count >= MOST_FRAMES:
                    return

    def key_frame_before(self, moment: float) -> tuple[float, Any] | None:
        """Return the last key frame before a moment, with its own; None if there is none."""
        self._track.codec_context.skip_frame = "NONKEY"
        return next(self._from(moment), None)

    def frames_around(self, moment: float) -> "Iterator[tuple[float, Any]]":
        """Yield the frames from just before a moment until just after it; all since a key frame are decoded."""
        self._track.codec_context.skip_frame = "DEFAULT"
        within = max(_AROUND, 1.5 / float(self._track.average_rate or 25))
        for at, shades in self._from(moment):
            if at > moment + within:
                return
            if at >= moment - within:
                yield at, shades

    def _from(self, moment: float) -> "Iterator[tuple[float, Any]]":
        self._clip.seek(round((moment + self._start) / self._track.time_base), stream=self._track)
        for packet in self._clip.demux(self._track):
            yield from self._shown(packet)

    def _shown(self, packet: Any) -> "Iterator[tuple[float, Any]]":
        import av
        import numpy as np

        try:
            frames = packet.decode()
        except av.error.InvalidDataError:  # a film is more than the frames that are damaged
            return
        for frame in frames:
            if frame.time is None or min(frame.width, frame.height) < _LEAST_SIDE:
                continue
            grey = frame.reformat(*self._size, "gray", interpolation="AREA").to_ndarray()
            yield max(0.0, frame.time - self._start), np.rot90(grey, round(frame.rotation / 90) % 4)

    def _moment(self, packet: Any) -> float | None:
        return None if packet.pts is None else float(packet.pts * packet.time_base) - self._start


def _working_size(width: int, height: int) -> tuple[int, int]:
    scale = min(1.0, WORKING / max(width, height, 1))
    return max(2, round(width * scale)), max(2, round(height * scale))
