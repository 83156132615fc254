"""Films made of moved photos, and what may be done to a film; for measuring how well versions are found."""

import io
from collections.abc import Sequence
from dataclasses import dataclass
from fractions import Fraction
from typing import Any

import av
import numpy as np
from PIL import Image

from .recordings import write_sound

RATE, SOUND_RATE = 25, 44_100
SIZE = (640, 360)
_SHAKE = 0.004


@dataclass(frozen=True)
class Way:
    """How a film is made from another: what is kept of it, how it is shown, and how it is written."""

    codec: str = "libx264"
    options: tuple[tuple[str, str], ...] = (("preset", "superfast"), ("crf", "23"))
    suffix: str = "mp4"
    size: tuple[int, int] = SIZE
    gop: int = 0
    start: float = 0.0
    end: float = 0.0
    rate: int = RATE
    bars: tuple[int, int] = (0, 0)
    light: float = 1.0
    power: float = 1.0
    sound: str = "aac"


_FAST = (("preset", "superfast"),)
WAYS: dict[str, Way] = {
    "H.264, less data": Way(options=(*_FAST, ("crf", "34"))),
    "H.264, half the size": Way(size=(320, 180), options=(*_FAST, ("crf", "28"))),
    "H.264, half a second a group": Way(gop=12),
    "H.264, no frame whole at cuts": Way(options=(("preset", "ultrafast"), ("crf", "28"))),
    "HEVC": Way("libx265", (*_FAST, ("crf", "28"), ("x265-params", "log-level=none"))),
    "VP9": Way(
        "libvpx-vp9", (("deadline", "realtime"), ("cpu-used", "8"), ("crf", "40"), ("b", "0")), "webm", sound="libopus"
    ),
    "MPEG-4": Way("mpeg4", (("q", "6"),), "avi", sound="libmp3lame"),
    "proxy, every frame whole": Way("mjpeg", (), "mov", (320, 180)),
    "30 pictures a second": Way(rate=30),
    "trimmed at the start": Way(start=3.0),
    "trimmed at both ends": Way(start=2.3, end=4.1),
    "between bars above and below": Way(size=(640, 480), bars=(0, 60)),
    "between bars at the sides": Way(size=(854, 360), bars=(107, 0)),
    "brighter": Way(light=1.25),
    "graded": Way(power=1.3, light=0.95),
    "without sound": Way(sound=""),
    "half the size, without sound": Way(size=(320, 180), sound=""),
    "trimmed, without sound": Way(start=3.0, sound=""),
}


def scenes(pictures: Sequence[Image.Image], seed: int, seconds: float, cut: float) -> list[Any]:
    """Return the frames of a film: pictures that the camera pans and zooms over by hand, with grain.

    Parameters
    ----------
    cut
        Mean seconds of a shot.
    """
    random = np.random.default_rng(seed)
    frames: list[Any] = []
    while len(frames) < seconds * RATE:
        image = pictures[int(random.integers(len(pictures)))]
        count = round(float(random.uniform(0.6, 1.4)) * cut * RATE)
        start, end = (np.array([*random.uniform(0.0, 0.35, 2), random.uniform(0.5, 0.65)]) for _ in range(2))
        if random.random() < 0.3:
            end = start
        walk = np.cumsum(random.normal(0, _SHAKE / 5, (count, 2)), axis=0)
        for number in range(count):
            left, top, part = start + (end - start) * number / count
            left, top = np.clip(np.array([left, top]) + walk[number], 0, 1 - part)
            box = tuple(
                float(each) for each in np.array([left, top, left + part, top + part]) * [*image.size, *image.size]
            )
            shown = np.asarray(image.resize(SIZE, Image.Resampling.BILINEAR, box, reducing_gap=2.0), np.int16)
            grain = random.integers(-4, 5, (SIZE[1], SIZE[0], 1), np.int16)
            frames.append(np.clip(shown + grain, 0, 255).astype(np.uint8))
    return frames[: round(seconds * RATE)]


def encoded(frames: Sequence[Any], sound: Any, way: Way) -> bytes:
    """Return a film, written in a way."""
    stream = io.BytesIO()
    kept = frames[round(way.start * RATE) : len(frames) - round(way.end * RATE)]
    heard = sound[round(way.start * SOUND_RATE) : len(sound) - round(way.end * SOUND_RATE)]
    with av.open(stream, "w", format=way.suffix) as clip:
        track = clip.add_stream(way.codec, rate=way.rate, options=dict(way.options))
        track.width, track.height = way.size
        track.pix_fmt = "yuvj420p" if way.codec == "mjpeg" else "yuv420p"
        if way.gop:
            track.gop_size = way.gop
        track.codec_context.time_base = Fraction(1, way.rate)
        heard_as = (
            clip.add_stream(way.sound, rate=48_000 if way.sound == "libopus" else SOUND_RATE, layout="mono")
            if way.sound
            else None
        )
        for number in range(len(kept) * way.rate // RATE):
            picture = av.VideoFrame.from_ndarray(_shown(kept[number * RATE // way.rate], way), "rgb24")
            picture.pts = number
            clip.mux(track.encode(picture))
        clip.mux(track.encode(None))
        if heard_as is not None:
            write_sound(clip, heard_as, heard, SOUND_RATE)
    return stream.getvalue()


def _shown(frame: Any, way: Way) -> Any:
    if way.light != 1.0 or way.power != 1.0:
        table = [255 * min(1.0, way.light * (value / 255) ** way.power) for value in range(256)]
        frame = np.rint(table).astype(np.uint8)[frame]
    across, down = way.bars
    inner = (way.size[0] - 2 * across, way.size[1] - 2 * down)
    if inner != SIZE:
        frame = np.asarray(Image.fromarray(frame).resize(inner, Image.Resampling.BILINEAR))
    return np.pad(frame, ((down, down), (across, across), (0, 0)))
