"""The essence of MPEG audio files (ISO/IEC 11172-3 and 13818-3): the frames between the tags."""

from .audio_tags import end_of_sound, start_of_sound
from .parts import NoEssence, Parts, Source, Stretch

_KBITS = {
    (1, 1): (0, 32, 64, 96, 128, 160, 192, 224, 256, 288, 320, 352, 384, 416, 448),
    (1, 2): (0, 32, 48, 56, 64, 80, 96, 112, 128, 160, 192, 224, 256, 320, 384),
    (1, 3): (0, 32, 40, 48, 56, 64, 80, 96, 112, 128, 160, 192, 224, 256, 320),
    (2, 1): (0, 32, 48, 56, 64, 80, 96, 112, 128, 144, 160, 176, 192, 224, 256),
    (2, 2): (0, 8, 16, 24, 32, 40, 48, 56, 64, 80, 96, 112, 128, 144, 160),
}  # by version and layer; layer III of the lower rates is as its layer II
_RATES = {3: (44_100, 48_000, 32_000), 2: (22_050, 24_000, 16_000), 0: (11_025, 12_000, 8000)}
_MOST_ZEROS = 64 * 1024
_LEAST_FRAMES = 3


def mpeg_audio_parts(source: Source) -> Parts:
    """Yield the parts of an MPEG audio file's essence: frame behind frame, with nothing between.

    The last frame may be cut off, and zeros may follow it, as in many files.
    """
    start = start_of_sound(source)
    end = end_of_sound(source, start)
    at, frames = start, 0
    while end - at >= 4:
        length = _frame_length(source.read(at, 4))
        if length == 0:
            break
        taken = min(length, end - at)
        yield Stretch(at, taken)
        at += taken
        frames += 1
    if frames < _LEAST_FRAMES:
        raise NoEssence("its format is not known")
    if at < end:
        left = source.read(at, end - at) if end - at <= _MOST_ZEROS else b"?"
        if left.strip(b"\0"):
            raise NoEssence("something lies between its frames")
        yield Stretch(at, end - at)


def _frame_length(head: bytes) -> int:
    """Return the length of a frame by its header, in bytes; 0 if it is none, or does not tell."""
    if head[0] != 0xFF or head[1] & 0xE0 != 0xE0:
        return 0
    version, layer = head[1] >> 3 & 3, 4 - (head[1] >> 1 & 3)
    rate, kbits, padding = head[2] >> 2 & 3, head[2] >> 4, head[2] >> 1 & 1
    if version == 1 or layer == 4 or rate == 3 or kbits in (0, 15):
        return 0
    is_first = version == 3
    bits = 1000 * _KBITS[1 if is_first else 2, layer if is_first else min(layer, 2)][kbits]
    hertz = _RATES[version][rate]
    if layer == 1:
        return (12 * bits // hertz + padding) * 4
    return (72 if layer == 3 and not is_first else 144) * bits // hertz + padding
