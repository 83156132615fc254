"""What may be done to a recording; for measuring how well it is known again."""

import io
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import av
import numpy as np

RATE = 44_100
LONGEST = 60


@dataclass(frozen=True)
class Coded:
    """How samples are written."""

    form: str
    codec: str
    bits: int = 0
    rate: int = RATE


FLAC = Coded("flac", "flac")
MP3_128, MP3_64 = Coded("mp3", "libmp3lame", 128_000), Coded("mp3", "libmp3lame", 64_000)

Change = Callable[[Any], Any]


def same(samples: Any) -> Any:
    return samples


def louder(by: float) -> Change:
    return lambda samples: np.clip(samples.astype(float) * by, -32_768, 32_767).astype("<i2")


def silence(seconds: float) -> Change:
    return lambda samples: np.concatenate([np.zeros(int(seconds * RATE), "<i2"), samples])


def part(start: float, end: float) -> Change:
    return lambda samples: samples[int(start * RATE) : int(end * RATE)]


def with_noise(level: float) -> Change:
    def changed(samples: Any) -> Any:
        noise = np.random.default_rng(1).normal(0, level, len(samples))
        return np.clip(samples + noise, -32_768, 32_767).astype("<i2")

    return changed


def faded(samples: Any) -> Any:
    ramp = np.minimum(1, np.minimum(np.arange(len(samples)), np.arange(len(samples))[::-1]) / (5 * RATE))
    return (samples * ramp).astype("<i2")


WAYS: dict[str, tuple[Change, Coded]] = {
    **{f"MP3 {bits}": (same, Coded("mp3", "libmp3lame", bits * 1000)) for bits in (256, 128, 96, 64, 48)},
    **{f"AAC {bits}": (same, Coded("adts", "aac", bits * 1000)) for bits in (192, 128, 64)},
    **{f"Opus {bits}": (same, Coded("ogg", "libopus", bits * 1000, 48_000)) for bits in (96, 48, 32, 24)},
    "FLAC": (same, FLAC),
    "22 kHz": (same, Coded("wav", "pcm_s16le", rate=22_050)),
    "16 kHz": (same, Coded("wav", "pcm_s16le", rate=16_000)),
    "clipped": (louder(3.0), FLAC),
    "quiet": (louder(0.1), FLAC),
    "clipped, MP3 128": (louder(2.0), MP3_128),
    "faded, MP3 128": (faded, MP3_128),
    "noise": (with_noise(200), FLAC),
    "noise, MP3 64": (with_noise(200), MP3_64),
    **{f"{seconds:g} s of silence before": (silence(seconds), FLAC) for seconds in (0.01, 0.5, 3.0)},
    "3 s of silence before, MP3 64": (silence(3.0), MP3_64),
    "half, MP3 128": (part(15, 45), MP3_128),
    "first third": (part(0, 20), FLAC),
    "last third, MP3 64": (part(40, 60), MP3_64),
    "20 s of the middle, AAC 64": (part(20.3, 40.3), Coded("adts", "aac", 64_000)),
    "12 s of the middle": (part(24.7, 36.7), FLAC),
    "Opus 32, half": (part(10, 40), Coded("ogg", "libopus", 32_000, 48_000)),
}


def recordings(folders: list[Path]) -> Iterator[tuple[str, Any]]:
    """Yield the music below folders, the first minute of each that is half a minute long or more."""
    for path in sorted(path for folder in folders for path in folder.rglob("*.ogg")):
        samples = _samples(path)
        if len(samples) >= LONGEST * RATE // 2:
            yield path.name, samples


def _samples(path: Path) -> Any:
    found: list[Any] = []
    with av.open(str(path)) as clip:
        resampler = av.AudioResampler("s16", "mono", RATE)
        for frame in clip.decode(audio=0):
            found += [part.to_ndarray().ravel() for part in resampler.resample(frame)]
            if sum(map(len, found)) > LONGEST * RATE:
                break
    return np.concatenate(found)[: LONGEST * RATE].astype("<i2")


def encoded(samples: Any, coded: Coded) -> bytes:
    """Return samples as a file."""
    stream = io.BytesIO()
    with av.open(stream, "w", format=coded.form) as clip:
        track = clip.add_stream(coded.codec, rate=coded.rate, layout="mono")
        if coded.bits:
            track.bit_rate = coded.bits
        write_sound(clip, track, samples, RATE)
    return stream.getvalue()


def write_sound(clip: Any, track: Any, samples: Any, rate: int) -> None:
    """Write all samples, of one channel, into a track of an open file."""
    context = track.codec_context
    whole = av.AudioFrame.from_ndarray(np.ascontiguousarray(samples[None, :]), "s16", "mono")
    whole.sample_rate, whole.pts = rate, 0
    size = context.frame_size or 1024
    resampler = av.AudioResampler(context.format.name, "mono", context.sample_rate, frame_size=size)
    for part_of in (*resampler.resample(whole), *resampler.resample(None)):
        clip.mux(track.encode(part_of))
    clip.mux(track.encode(None))
