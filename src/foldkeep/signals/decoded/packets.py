"""Packets without what a container adds to them."""

from collections.abc import Iterator
from typing import Any, Protocol

from .finding import NotDecoded

_IN_BAND = frozenset("mpeg1video mpeg2video mp1 mp2 mp3 ac3 eac3 dts mjpeg prores dnxhd".split())
"""Codecs whose packets tell all that decodes them."""


class Coder(Protocol):
    """How a codec packs a track."""

    def content(self, packet: bytes) -> bytes:
        """Return a packet without what a container adds. Raise NotDecoded if it is not known."""
        ...

    def header(self) -> bytes:
        """Return what decodes the packets, after they came."""
        ...


def coder_of(context: Any) -> Coder:
    """Return the coder of a track, by its codec."""
    extra = context.extradata or b""
    if context.name in _NAL_TYPES:
        return _Units(context.name, extra)
    if context.name == "aac":
        return _Aac(context)
    if context.name == "vorbis":
        return _Plain(context.name, _vorbis_headers(extra))
    return _Plain(context.name, b"" if context.name in _IN_BAND else extra)


class _Plain:
    """A codec whose packets are alike in all containers."""

    def __init__(self, name: str, header: bytes) -> None:
        self._header = f"{name} ".encode() + header

    def content(self, packet: bytes) -> bytes:
        return packet

    def header(self) -> bytes:
        return self._header


class _Aac:
    """AAC: some containers put a header of seven or nine bytes before each packet (ADTS, ISO/IEC 13818-7)."""

    def __init__(self, context: Any) -> None:
        self._header = repr(("aac", context.profile, context.sample_rate, context.channels)).encode()
        self._has_headers = not context.extradata

    def content(self, packet: bytes) -> bytes:
        if not self._has_headers:
            return packet
        if len(packet) < 7 or packet[0] != 0xFF or packet[1] & 0xF6 != 0xF0 or packet[6] & 3:
            raise NotDecoded("its sound is packed in a way that is not known")
        return packet[7 if packet[1] & 1 else 9 :]

    def header(self) -> bytes:
        return self._header


def _vorbis_headers(extra: bytes) -> bytes:
    """Return the first and third header of Vorbis, laced as in Matroska (RFC 9559): the second has only comments."""
    if len(extra) < 3 or extra[0] != 2:
        raise NotDecoded("its sound is packed in a way that is not known")
    at, lengths = 1, list[int]()
    while len(lengths) < 2:
        length = 0
        while at < len(extra) and extra[at] == 255:
            length, at = length + 255, at + 1
        if at >= len(extra):
            raise NotDecoded("it is damaged")
        lengths.append(length + extra[at])
        at += 1
    return extra[at : at + lengths[0]] + extra[at + sum(lengths) :]


# Units that are left out, since containers add them; sets of parameters, those of pictures; what is said besides.
_NAL_TYPES = {"h264": ({9, 12}, {7, 8}, 8, {6}), "hevc": ({35, 38}, {32, 33, 34}, 34, {39, 40})}


class _Units:
    """H.264 and H.265: units behind start codes (annex B) or their lengths (ISO/IEC 14496-15)."""

    def __init__(self, name: str, extra: bytes) -> None:
        self._name, self._header = name, f"{name} ".encode()
        self._left_out, self._parameters, self._picture, self._besides = _NAL_TYPES[name]
        self._sets: dict[tuple[int, int], bytes] = {}
        self._said: set[bytes] | None = set()  # at the beginning, where some containers have it in a header
        self._length = 0
        if extra[:1] == b"\x01":
            if len(extra) < 23:
                raise NotDecoded("it is damaged")
            self._length = (extra[4 if name == "h264" else 21] & 3) + 1
        for unit in _configured(name, extra) if self._length else _behind_start_codes(extra):
            self._is_taken(unit)

    def content(self, packet: bytes) -> bytes:
        units = _behind_lengths(packet, self._length) if self._length else _behind_start_codes(packet)
        left = [unit for unit in units if not self._is_taken(unit) and self._type(unit) not in self._left_out]
        if self._said is not None:
            self._header += repr(sorted(self._said)).encode()
            self._said = None
        return b"".join(len(unit).to_bytes(4, "big") + unit for unit in left)

    def header(self) -> bytes:
        return self._header + repr(sorted(self._sets.items())).encode()

    def _type(self, unit: bytes) -> int:
        return unit[0] & 31 if self._name == "h264" else unit[0] >> 1 & 63

    def _is_taken(self, unit: bytes) -> bool:
        """Tell whether a unit is for the header, and remember it; raise NotDecoded for parameters that change."""
        kind = self._type(unit)
        if kind in self._besides and self._said is not None:
            self._said.add(unit)
            return True
        if kind not in self._parameters:
            return False
        number = _first_number(unit[1 if self._name == "h264" else 2 :]) if kind == self._picture else 0
        if self._sets.setdefault((kind, number), unit) != unit:
            raise NotDecoded("what decodes its pictures changes midway")
        return True


def _first_number(payload: bytes) -> int:
    """Return the number that a unit's payload begins with, in exponential Golomb code (ITU-T H.264, 9.1)."""
    bits = "".join(f"{byte:08b}" for byte in payload[:8])
    zeros = len(bits) - len(bits.lstrip("0"))
    return int(bits[: 2 * zeros + 1] or "1", 2) - 1


def _configured(name: str, extra: bytes) -> Iterator[bytes]:
    """Yield the units of a decoder configuration record (ISO/IEC 14496-15)."""
    is_h264 = name == "h264"
    at, lists = (5, 2) if is_h264 else (23, extra[22])
    for number in range(lists):
        units = (
            extra[at] & (0x1F if number == 0 else 0xFF) if is_h264 else int.from_bytes(extra[at + 1 : at + 3], "big")
        )
        at += 1 if is_h264 else 3
        for _ in range(units):
            length = int.from_bytes(extra[at : at + 2], "big")
            yield from _whole(extra, at + 2, length)
            at += 2 + length


def _whole(content: bytes, at: int, length: int) -> Iterator[bytes]:
    if not length or at + length > len(content):
        raise NotDecoded("it is damaged")
    yield content[at : at + length]


def _behind_lengths(packet: bytes, size: int) -> Iterator[bytes]:
    at = 0
    while at < len(packet):
        length = int.from_bytes(packet[at : at + size], "big")
        yield from _whole(packet, at + size, length)
        at += size + length


def _behind_start_codes(packet: bytes) -> Iterator[bytes]:
    first, *units = packet.split(b"\0\0\1")
    if first.strip(b"\0"):
        raise NotDecoded("its pictures are packed in a way that is not known")
    for unit in units:
        if whole := unit.rstrip(b"\0"):
            yield whole
