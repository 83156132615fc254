"""The essence of PNG files (ISO/IEC 15948): all chunks but those that only say something about the picture."""

import struct
import zlib

from .edits import edits_in
from .exif import shown_by_exif
from .parts import NoEssence, Parts, Source, Stretch, check_rest_after

_ESSENTIAL = frozenset((
    b"IHDR", b"PLTE", b"IDAT", b"IEND", b"tRNS", b"gAMA", b"cHRM", b"sRGB", b"iCCP", b"sBIT", b"cICP", b"mDCV", b"cLLI",
    b"bKGD", b"pHYs", b"vpAg", b"caNv", b"acTL", b"fcTL", b"fdAT", b"sPLT", b"hIST", b"sTER", b"oFFs", b"pCAL", b"sCAL",
))  # fmt: skip
_WORDS = frozenset((b"tEXt", b"zTXt", b"iTXt", b"tIME", b"eXIf"))
_XMP = b"XML:com.adobe.xmp\0"
_READ = 1024 * 1024


def png_parts(source: Source) -> Parts:
    """Yield the parts of a PNG file's essence; a chunk that is not known, or damaged, makes it have none."""
    yield Stretch(0, 8)
    at, has_xmp = 8, False
    while True:
        length, name = struct.unpack(">I4s", source.read(at, 8))
        if name not in _ESSENTIAL and name not in _WORDS:
            raise NoEssence("it has a chunk that is not known")
        if at == 8 and name != b"IHDR":
            raise NoEssence("it is damaged")
        _check_sum(source, at, length)
        if name in _ESSENTIAL:
            yield Stretch(at, length + 12)
        elif name == b"eXIf":
            yield from shown_by_exif(source.read(at + 8, length))
        elif name == b"iTXt" and source.read(at + 8, min(length, len(_XMP))) == _XMP:
            if has_xmp:
                raise NoEssence("it has XMP twice")
            has_xmp = True
            yield from edits_in(source.read(at + 8, length))
        at += length + 12
        if name == b"IEND":
            check_rest_after(source, at)
            return


def _check_sum(source: Source, at: int, length: int) -> None:
    found = 0
    for start in range(4, length + 8, _READ):
        found = zlib.crc32(source.read(at + start, min(_READ, length + 8 - start)), found)
    if found != struct.unpack(">I", source.read(at + 8 + length, 4))[0]:
        raise NoEssence("it is damaged")
