"""Brass band tunes and short films of a kite, written by PyAV in real formats."""

import io
from collections.abc import Sequence
from fractions import Fraction
from typing import TYPE_CHECKING, Any, cast

if TYPE_CHECKING:
    import numpy as np

RATE = 22_050
_BEAT_SECONDS = 0.32
_FRAMES_A_SECOND = 24
# Writers must not put dates, versions or thread-dependent bytes into the file.
_SAME_BYTES = {"fflags": "+bitexact"}


def tune(steps: Sequence[int]) -> "np.ndarray[Any, Any]":
    """Return 16-bit mono samples of a tune; each step is a note in semitones from A3, one beat long."""
    import numpy as np

    time = np.arange(int(RATE * _BEAT_SECONDS)) / RATE
    swell = np.minimum(1, np.minimum(time / 0.03, (time[-1] - time) / 0.06))
    notes = []
    for step in steps:
        pitch = 220 * 2 ** (step / 12)
        overtones = (np.sin(2 * np.pi * pitch * n * time) / n**1.2 for n in range(1, 8))
        notes.append(sum(overtones) * swell)
    sound = np.concatenate(notes)
    loud: np.ndarray[Any, Any] = sound / np.abs(sound).max() * 24_000
    return loud.astype(np.int16)


def wav(samples: "np.ndarray[Any, Any]") -> bytes:
    """Return samples as a WAV file."""
    import wave

    stream = io.BytesIO()
    with wave.open(stream, "wb") as writer:
        writer.setnchannels(1)
        writer.setsampwidth(2)
        writer.setframerate(RATE)
        writer.writeframes(samples.astype("<i2").tobytes())
    return stream.getvalue()


def encoded(samples: "np.ndarray[Any, Any]", suffix: str, tags: dict[str, str]) -> bytes:
    """Return samples as ``flac`` or ``mp3`` with tags."""
    import av

    codec, layout_format = {"flac": ("flac", "s16"), "mp3": ("libmp3lame", "s16p")}[suffix]
    stream = io.BytesIO()
    with av.open(stream, "w", format=suffix, options=_SAME_BYTES) as file:
        file.metadata.update(tags)
        track = cast(av.AudioStream, file.add_stream(codec, rate=RATE, layout="mono", format=layout_format))
        track.codec_context.options = {"flags": "+bitexact"}
        track.codec_context.thread_count = 1
        frame = av.AudioFrame.from_ndarray(samples.reshape(1, -1), format=layout_format, layout="mono")
        frame.sample_rate = RATE
        file.mux(track.encode(frame))
        file.mux(track.encode(None))
    return stream.getvalue()


def film(seed: int, seconds: float, size: tuple[int, int] = (480, 270)) -> bytes:
    """Return an MP4 of a picture of kites that the camera slowly moves over."""
    import av
    import numpy as np

    from .pictures import draw_kites

    width, height = size
    scene = np.asarray(draw_kites(seed, (width * 2, height * 2)))
    count = int(seconds * _FRAMES_A_SECOND)
    stream = io.BytesIO()
    with av.open(stream, "w", format="mp4", options=_SAME_BYTES) as file:
        track = file.add_stream("mpeg4", rate=_FRAMES_A_SECOND)
        track.width, track.height, track.pix_fmt, track.bit_rate = width, height, "yuv420p", 1_500_000
        track.codec_context.options = {"flags": "+bitexact"}
        track.codec_context.thread_count = 1
        for number in range(count):
            x, y = width * number // count, height * number // count // 2
            part = np.ascontiguousarray(scene[y : y + height, x : x + width])
            file.mux(track.encode(av.VideoFrame.from_ndarray(part, format="rgb24")))
        file.mux(track.encode(None))
    return stream.getvalue()


def proxy(content: bytes, size: tuple[int, int] = (240, 136)) -> bytes:
    """Return a smaller version of a film, as QuickTime, with every frame whole."""
    import av

    stream = io.BytesIO()
    with av.open(io.BytesIO(content), "r") as source, av.open(stream, "w", format="mov", options=_SAME_BYTES) as file:
        track = file.add_stream("mjpeg", rate=_FRAMES_A_SECOND)
        track.width, track.height, track.pix_fmt = *size, "yuvj420p"
        track.codec_context.options = {"flags": "+bitexact"}
        track.codec_context.thread_count = 1
        for number, frame in enumerate(source.decode(video=0)):
            picture = frame.reformat(*size, "yuvj420p")
            picture.pts, picture.time_base = number, Fraction(1, _FRAMES_A_SECOND)
            file.mux(track.encode(picture))
        file.mux(track.encode(None))
    return stream.getvalue()
