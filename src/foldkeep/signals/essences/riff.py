"""The essence of files of chunks as RIFF has them: WAVE, its long form RF64 (EBU Tech 3306), and WebP (RFC 9649)."""

import struct
from collections.abc import Iterator

from .edits import edits_in
from .exif import shown_by_exif
from .parts import NoEssence, Parts, Source, Stretch, Told

_LONG = 0xFFFFFFFF
_WAVE_WORDS = frozenset((
    b"LIST", b"bext", b"iXML", b"axml", b"_PMX", b"id3 ", b"ID3 ", b"cue ", b"plst", b"smpl", b"inst", b"acid", b"strc",
    b"cart", b"JUNK", b"junk", b"PAD ", b"FLLR", b"PEAK", b"umid", b"minf", b"elm1", b"regn", b"DISP", b"levl", b"ds64",
    b"aXML", b"chna",
))  # fmt: skip
_EXIF_AND_XMP = 0x0C  # bits of the VP8X chunk that only tell whether there are such words


def wave_parts(source: Source) -> Parts:
    """Yield the parts of the essence of a WAVE or RF64 file: the format and the samples."""
    is_long = source.read(0, 4) == b"RF64"
    samples: Stretch | None = None
    for name, at, length in _chunks(source, is_long=is_long):
        if name in (b"fmt ", b"fact"):
            yield Told(name + source.read(at, length))
        elif name == b"data" and samples is None:
            samples = Stretch(at, length)
        elif name not in _WAVE_WORDS:
            raise NoEssence("it has a chunk that is not known")
    if samples is None:
        raise NoEssence("there is no sound in it")
    yield samples


def webp_parts(source: Source) -> Parts:
    """Yield the parts of the essence of a WebP file."""
    has_picture = has_xmp = False
    for name, at, length in _chunks(source, is_long=False):
        if name == b"VP8X":
            told = source.read(at, length)
            # A file that got words has this header only for them.
            if length != 10 or told[0] & ~_EXIF_AND_XMP:
                yield Told(bytes([told[0] & ~_EXIF_AND_XMP]) + told[1:])
        elif name in (b"VP8 ", b"VP8L", b"ALPH", b"ANIM", b"ANMF", b"ICCP"):
            has_picture = has_picture or name not in (b"ICCP", b"ANIM")
            yield Stretch(at - 8, length + 8)
        elif name == b"EXIF":
            yield from shown_by_exif(source.read(at, length).removeprefix(b"Exif\0\0"))
        elif name == b"XMP " and not has_xmp:
            has_xmp = True
            yield from edits_in(source.read(at, length))
        else:
            raise NoEssence("it has a chunk that is not known, or one twice")
    if not has_picture:
        raise NoEssence("there is no picture in it")


def _chunks(source: Source, *, is_long: bool) -> Iterator[tuple[bytes, int, int]]:
    """Yield the name of each chunk, and where what it holds lies; raise NoEssence if they do not fill the file."""
    (whole,) = struct.unpack("<I", source.read(4, 4))
    at, end = 12, whole + 8
    samples = None
    if is_long:
        name, length = struct.unpack("<4sI", source.read(12, 8))
        if name != b"ds64" or length < 24:
            raise NoEssence("it is damaged")
        whole, samples = struct.unpack("<QQ", source.read(20, 16))
        end = whole + 8
    if end > source.size or source.size > end + 1:
        raise NoEssence("it ends too early, or something follows its end")
    while at < end:
        name, length = struct.unpack("<4sI", source.read(at, 8))
        if is_long and name == b"data" and length == _LONG and samples is not None:
            length = samples
        if at + 8 + length > end:
            raise NoEssence("it is damaged")
        yield name, at + 8, length
        at += 8 + length + length % 2
