"""How long packets of Ogg streams sound, by their first bytes: Vorbis I (sections 4.2.4 and 4.3.1), Opus (RFC 6716)."""

from collections.abc import Callable

from .parts import NoEssence

Duration = Callable[[bytes], int]
"""Returns how many samples a packet, given in order, adds to what has sounded."""

_MODE_BITS = 41  # its block's length, two types that are 0, and the number of a mapping
_COUNT_BITS, _MOST_MODES, _MOST_MAPPINGS = 6, 64, 64
_OPUS_SHORT = (120, 240, 480, 960)
_OPUS_LONG = (480, 960, 1920, 2880)


def vorbis_durations(identification: bytes, setup: bytes) -> Duration:
    """Return what tells the samples of Vorbis packets. Raise NoEssence if the headers are not as they should be."""
    if len(identification) < 30:
        raise NoEssence("it is damaged")
    sizes = (1 << (identification[28] & 15), 1 << (identification[28] >> 4))
    modes = _vorbis_modes(setup)
    mask = (1 << (len(modes) - 1).bit_length()) - 1
    before = 0

    def duration(packet: bytes) -> int:
        nonlocal before
        if not packet or packet[0] & 1 or packet[0] >> 1 & mask >= len(modes):
            raise NoEssence("it is damaged")
        size = sizes[modes[packet[0] >> 1 & mask]]
        added = (before + size) // 4 if before else 0
        before = size
        return added

    return duration


def _vorbis_modes(setup: bytes) -> list[int]:
    """Return of each mode whether its blocks are long, 0 or 1: the last fields of a setup header, read from its end."""
    bits = int.from_bytes(setup[-2 * _MOST_MODES * 6 :], "little")
    end = bits.bit_length() - 1  # the framing bit
    modes: list[int] = []
    found: list[int] = []
    while end >= _MODE_BITS + _COUNT_BITS and len(modes) < _MOST_MODES:
        end -= _MODE_BITS
        mode = bits >> end & ((1 << _MODE_BITS) - 1)
        if mode >> 1 & 0xFFFFFFFF or mode >> 33 >= _MOST_MAPPINGS:
            break
        modes.insert(0, mode & 1)
        if (bits >> (end - _COUNT_BITS) & (_MOST_MODES - 1)) + 1 == len(modes):
            found = list(modes)
    if not found:
        raise NoEssence("it is damaged")
    return found


def opus_duration(packet: bytes) -> int:
    """Return the samples of an Opus packet, of 48,000 a second."""
    if not packet:
        raise NoEssence("it is damaged")
    configuration, count = packet[0] >> 3, packet[0] & 3
    if configuration < 12:
        samples = _OPUS_LONG[configuration & 3]
    elif configuration < 16:
        samples = _OPUS_SHORT[2 + (configuration & 1)]
    else:
        samples = _OPUS_SHORT[configuration & 3]
    if count < 3:
        return samples * (1 if count == 0 else 2)
    if len(packet) < 2:
        raise NoEssence("it is damaged")
    return samples * (packet[1] & 63)
