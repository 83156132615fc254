"""Prints of sounds: what stays of a recording when it is compressed, resampled, cut or preceded by silence.

Each word of a print says of 32 pairs of neighbouring frequency bands whether the difference of their energies grew
since the frame before (Haitsma and Kalker, "A highly robust audio fingerprinting system", 2002). Frames overlap by
seven eighths, so that a print hardly depends on where the first begins. A change of speed or pitch is another print.

Only the helper process of `foldkeep.signals.media_worker` comes here.
"""

from functools import lru_cache
from typing import TYPE_CHECKING, Any

from foldkeep.stock import KnownPrint
from foldkeep.storage.local.reading import FILE, open_path

from .media import undecodable

if TYPE_CHECKING:
    from collections.abc import Iterator

RATE = 11_025
"""Samples a second, of one channel, that a print is made of."""

FRAME, HOP = 4096, 512
"""Samples that a word of a print is told by, and from one word to the next."""

SECONDS_A_WORD = HOP / RATE
_LOW, _HIGH, _BANDS = 300.0, 2000.0, 33
_LONGEST = 3 * 60 * 60 * RATE
_LEAST_WORDS = 16
_QUIET = 1e-4  # of full scale; what is quieter has no sound of its own


def sound_print(path: bytes) -> KnownPrint:
    """Return the print of a sound, or of what is heard in a film; of one too short, or silent, why it has none.

    `print` is unsigned 32-bit words, little-endian, one for every `SECONDS_A_WORD`; what comes after three hours is not
    in it.

    Raises
    ------
    OSError
        If the system does not let it be read.
    """
    import numpy as np

    try:
        samples = np.concatenate([*_samples(path), np.zeros(0, np.float32)])
    except Exception as error:  # PyAV raises whatever a broken file leads it to
        return KnownPrint(problem=undecodable(error))
    if not len(samples):
        return KnownPrint(problem="it has no sound")
    if len(samples) < FRAME + _LEAST_WORDS * HOP:
        return KnownPrint(problem="it is too short")
    if float(np.abs(samples).max()) < _QUIET:
        return KnownPrint(problem="it is silent")
    return KnownPrint(bytes(_words(samples).tobytes()))


def _samples(path: bytes) -> "Iterator[Any]":
    """Yield the samples of the first sound track, mixed to one channel, between -1 and 1."""
    import av

    with open(open_path(path, FILE), "rb") as file, av.open(file, "r", metadata_errors="replace") as clip:
        if not clip.streams.audio:
            return
        track = clip.streams.audio[0]
        resampler = av.AudioResampler(format="flt", layout="mono", rate=RATE)
        count = 0
        for frame in clip.decode(track):
            for part in resampler.resample(frame):
                found = part.to_ndarray().ravel()
                count += len(found)
                yield found
            if count > _LONGEST:
                return
        for part in resampler.resample(None):
            yield part.to_ndarray().ravel()


def _words(samples: Any) -> Any:
    import numpy as np

    window = np.hanning(FRAME).astype(np.float32)
    edges = _band_edges()
    energies = []
    frames = np.lib.stride_tricks.sliding_window_view(samples, FRAME)[::HOP]
    for start in range(0, len(frames), 256):
        spectrum = np.abs(np.fft.rfft(frames[start : start + 256] * window, axis=1)) ** 2
        sums = np.concatenate([np.zeros((len(spectrum), 1)), spectrum.cumsum(axis=1)], axis=1)
        energies.append(sums[:, edges[1:]] - sums[:, edges[:-1]])
    bands = np.concatenate(energies)
    steps = np.diff(bands, axis=1)
    bits = (np.diff(steps, axis=0) > 0).astype(np.uint8)
    return np.ascontiguousarray(np.packbits(bits, axis=1)).view("<u4").ravel()


@lru_cache(1)
def _band_edges() -> Any:
    """Return the first bins of bands of equal width on a logarithmic scale, and the end of the last."""
    import numpy as np

    return np.rint(np.geomspace(_LOW, _HIGH, _BANDS + 1) * FRAME / RATE).astype(int)
