"""One film, recording or scan as several programs keep it: in other containers, coded otherwise, shown the same."""

import io
from collections.abc import Callable
from fractions import Fraction
from functools import cache
from typing import Any

import av
import numpy as np

from foldkeep.demo.pictures import draw_kites


@cache
def filmed(form: str = "mp4", codec: str = "libx264", sound: str = "aac", shift: int = 0) -> bytes:
    """Return a second of film with sound; of its pictures `shift` is how they are moved."""
    stream = io.BytesIO()
    scene = np.asarray(draw_kites(3, (256, 128)).convert("RGB"))
    with av.open(stream, "w", format=form) as clip:
        shown, heard = clip.add_stream(codec, rate=25), clip.add_stream(sound, rate=48_000)
        shown.width, shown.height, shown.pix_fmt = 192, 108, "yuv420p"
        shown.codec_context.thread_count = 1
        heard.layout = "stereo"
        tone = (np.sin(np.arange(48_000) * 0.05) * 8000).astype(np.int16).repeat(2)
        for number in range(25):
            part = np.ascontiguousarray(scene[:108, number + shift : number + shift + 192])
            clip.mux(shown.encode(av.VideoFrame.from_ndarray(part, format="rgb24")))
            frame = av.AudioFrame.from_ndarray(tone[number * 3840 :][:3840].reshape(1, -1), "s16", "stereo")
            frame.sample_rate, frame.pts, frame.time_base = 48_000, number * 1920, Fraction(1, 48_000)
            clip.mux(heard.encode(frame))
        clip.mux(shown.encode(None))
        clip.mux(heard.encode(None))
    return stream.getvalue()


def remuxed(content: bytes, form: str, change: Callable[[Any, int], bool | None] = lambda *_: None) -> bytes:
    """Return a film with its packets in another container.

    Parameters
    ----------
    change
        Is given each packet with its number, and may change it; what it says False of is left out.
    """
    stream = io.BytesIO()
    with av.open(io.BytesIO(content)) as source, av.open(stream, "w", format=form) as clip:
        tracks = {track.index: clip.add_stream_from_template(track) for track in source.streams}
        for number, packet in enumerate(source.demux()):
            if packet.size and change(packet, number) is not False:
                packet.stream = tracks[packet.stream_index]
                clip.mux(packet)
    return stream.getvalue()


def recorded(form: str, codec: str, change: int = 0, rate: int = 44_100) -> bytes:
    """Return a second of sound in a format; `change` is added to one of its samples."""
    samples = (np.random.default_rng(7).normal(0, 3000, (rate, 2))).astype(np.int16)
    samples[1000, 1] += change
    stream = io.BytesIO()
    with av.open(stream, "w", format=form) as clip:
        track = clip.add_stream(codec, rate=rate)
        track.layout = "stereo"
        for at in range(0, rate, 4410):
            frame = av.AudioFrame.from_ndarray(samples[at : at + 4410].reshape(1, -1), format="s16", layout="stereo")
            frame.sample_rate, frame.pts, frame.time_base = rate, at, Fraction(1, rate)
            clip.mux(track.encode(frame))
        clip.mux(track.encode(None))
    return stream.getvalue()


def scanned(form: str, change: int = 0, **named: Any) -> bytes:
    """Return a scan in a format; `change` is taken from the red of one of its pixels."""
    picture = draw_kites(3, (160, 120)).convert("RGB")
    red, *others = picture.getpixel((40, 30))
    picture.putpixel((40, 30), (red - change, *others))
    stream = io.BytesIO()
    picture.save(stream, form, **named)
    return stream.getvalue()


def deep(codec: str, layout: str, change: int = 0) -> bytes:
    """Return a scan of sixteen bits a colour."""
    pixels = np.random.default_rng(5).integers(0, 65536, (40, 60, 3), dtype=np.uint16)
    pixels[3, 4, 1] ^= change
    stream = io.BytesIO()
    with av.open(stream, "w", format="image2pipe") as clip:
        track = clip.add_stream(codec, rate=1)
        track.width, track.height, track.pix_fmt = 60, 40, layout
        frame = av.VideoFrame.from_ndarray(pixels, format="rgb48le").reformat(format=layout)
        clip.mux(track.encode(frame))
        clip.mux(track.encode(None))
    return stream.getvalue()
