"""The essence of Ogg files (RFC 3533) with one stream of Vorbis, Opus (RFC 7845) or FLAC: packets but for comments."""

import struct
import sys
import zlib
from array import array
from typing import NamedTuple

from blake3 import blake3

from .flac import channels_in
from .ogg_durations import Duration, opus_duration, vorbis_durations
from .parts import NoEssence, Parts, Source, Stretch, Told

_CONTINUED, _FIRST, _LAST = 1, 2, 4
_REVERSED = bytes(int(f"{number:08b}"[::-1], 2) for number in range(256))
_MOST_OF_HEADERS = 64 * 1024 * 1024
_WHOLE_LACE = 255


class _Page(NamedTuple):
    at: int
    flags: int
    granule: int
    serial: int
    number: int
    lacing: bytes

    @property
    def body(self) -> int:
        return self.at + 27 + len(self.lacing)

    @property
    def is_last(self) -> bool:
        return bool(self.flags & _LAST)


def ogg_parts(source: Source) -> Parts:
    """Yield the parts of an Ogg file's essence; several streams, a missing or damaged page make it have none.

    Besides the packets, how long each is belongs to it, and where the sound begins and ends by the positions that pages
    tell. How packets lie in pages does not.
    """
    stream = _Stream(source)
    at = 0
    while at < source.size:
        page = _page(source, at)
        yield from stream.parts(page)
        at = page.body + sum(page.lacing)
    yield stream.end()


class _Stream:
    """A stream of packets, read page by page."""

    def __init__(self, source: Source) -> None:
        self._source = source
        self._headers = _Headers()
        self._page: _Page | None = None
        self._length = 0
        self._packet = b""  # what there is of a header, or the first bytes of a packet
        self._lengths = array("I")
        self._sounded = 0
        self._begin: int | None = None
        self._granule = -1

    def parts(self, page: _Page) -> Parts:
        """Yield the parts of the next page."""
        self._check_follows(page)
        self._page = page
        start = end = page.body
        for lace in page.lacing:
            end += lace
            self._length += lace
            if not self._headers.are_done:
                self._packet += self._source.read(end - lace, lace)
                if len(self._packet) > _MOST_OF_HEADERS:
                    raise NoEssence("its headers do not end")
            elif len(self._packet) < 2 and self._begin is None:
                self._packet += self._source.read(end - lace, min(lace, 2))
            if lace == _WHOLE_LACE:
                continue
            if self._headers.are_done:
                self._note_packet()
            else:
                yield from (Told(each) for each in self._headers.take(self._packet))
                start = end
            self._packet, self._length = b"", 0
        if self._headers.are_done:
            yield Stretch(start, end - start)
            self._note_position(page)

    def _check_follows(self, page: _Page) -> None:
        before = self._page
        if before is None:
            is_next = page.number == 0 and bool(page.flags & _FIRST)
        else:
            is_next = (page.serial, page.number) == (before.serial, before.number + 1) and not page.flags & _FIRST
            is_next = is_next and not before.is_last
        if not is_next or bool(page.flags & _CONTINUED) != bool(self._length):
            raise NoEssence("it has several streams, or lacks pages")

    def _note_packet(self) -> None:
        self._lengths.append(self._length)
        if self._begin is None and self._headers.duration is not None:
            self._sounded += self._headers.duration(self._packet)

    def _note_position(self, page: _Page) -> None:
        if page.granule < 0 or not self._lengths:
            return
        # The first packet of Vorbis has no sound of its own: a page with that alone tells nothing.
        if self._begin is None and (self._sounded or page.is_last or self._headers.duration is None):
            begin = page.granule - self._sounded if self._headers.duration is not None else 0
            # Of a sound of one page, what is missing is missing at its end.
            self._begin = max(0, begin) if page.is_last else begin
        self._granule = page.granule

    def end(self) -> Told:
        """Return what is told of the whole; raise NoEssence if it has no end."""
        if self._page is None or not self._page.is_last or not self._lengths or self._length:
            raise NoEssence("it has no end")
        if sys.byteorder == "big":
            self._lengths.byteswap()
        told = repr((self._begin, self._granule, len(self._lengths)))
        return Told(told.encode() + blake3(self._lengths.tobytes()).digest())


class _Headers:
    """The first packets of a stream: which of them are essence, and which are comments.

    `duration` tells how long packets sound, where that is needed to know where the sound begins.
    """

    def __init__(self) -> None:
        self._first = b""
        self._count = self._wanted = 0
        self.duration: Duration | None = None

    @property
    def are_done(self) -> bool:
        return 0 < self._count == self._wanted

    def take(self, packet: bytes) -> list[bytes]:
        """Return what of the next header belongs to the essence; raise NoEssence if it is not as it should be."""
        self._count += 1
        if self._count == 1:
            self._first = packet
            if packet.startswith(b"\x01vorbis"):
                self._wanted = 3
            elif packet.startswith(b"OpusHead"):
                self._wanted, self.duration = 2, opus_duration
            elif packet.startswith(b"\x7fFLAC\x01") and len(packet) > 9:
                self._wanted = 1 + int.from_bytes(packet[7:9], "big")
            if self._wanted < 2:
                raise NoEssence("what is in it is not known")
            # How many headers follow depends on what they say.
            return [packet[:7] + packet[9:] if packet[0] == 0x7F else packet]
        if self._first[0] == 0x7F:
            what = packet[0] & 0x7F if packet else -1
            if what not in (1, 3, 4, 5, 6):
                raise NoEssence("it has a block that is not known")
            return [channels_in(packet)] if what == 4 else []
        sign = b"OpusTags" if self._first[0] == ord("O") else (b"\x03vorbis", b"\x05vorbis")[self._count - 2]
        if not packet.startswith(sign):
            raise NoEssence("it is damaged")
        if sign != b"\x05vorbis":
            return []
        self.duration = vorbis_durations(self._first, packet)
        return [packet]


def _page(source: Source, at: int) -> _Page:
    head = source.read(at, 27)
    sign, version, flags, granule, serial, number, check, count = struct.unpack("<4sBBqIIIB", head)
    if sign != b"OggS" or version != 0:
        raise NoEssence("something lies between its pages")
    lacing = source.read(at + 27, count)
    whole = head[:22] + bytes(4) + head[26:] + lacing + source.read(at + 27 + count, sum(lacing))
    if _sum_of(whole) != check:
        raise NoEssence("it is damaged")
    return _Page(at, flags, granule, serial, number, lacing)


def _sum_of(page: bytes) -> int:
    """Return the check sum of a page: that of Ogg goes the other way through the bits than that of zlib."""
    found = zlib.crc32(page.translate(_REVERSED), 0xFFFFFFFF) ^ 0xFFFFFFFF
    return int(f"{found:032b}"[::-1], 2)
