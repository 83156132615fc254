"""The essence of JPEG files (ITU-T T.81): all segments but those that only say something about the picture."""

import struct
from typing import Any

from blake3 import blake3

from .edits import edits_in
from .exif import shown_by_exif
from .parts import SMALL_WINDOW, WINDOW, NoEssence, Parts, Shown, Source, Stretch, check_rest_after

_SOI, _EOI, _SOS = 0xD8, 0xD9, 0xDA
_COMMENT = 0xFE
_XMP = b"http://ns.adobe.com/xap/1.0/\0"
_WORDS = {
    0xE1: (b"Exif\0", _XMP, b"http://ns.adobe.com/xmp/extension/\0"),
    0xE2: (b"ICC_PROFILE\0",),
    0xEC: (b"Ducky", b"[picture info]"),
    0xED: (b"Photoshop 3.0\0", b"Adobe_Photoshop2.5:"),
}  # segments that only say something, by how their contents begin
_APPLICATION = range(0xE1, 0xEE)  # APP1 to APP13; APP0 and APP14 tell how the picture is to be decoded
_TABLES = (*range(0xC0, 0xD0), 0xDB, 0xDC, 0xDD, 0xE0, 0xEE)
_NEITHER = (0xC8,)
_PICTURES_IN_WORDS = (
    b"GDepth:Data", b"GImage:Data", b"GAudio:Data", b"MotionPhoto", b"MicroVideo", b"hdrgm:Version",
    b"Container:Directory", b"DepthMap", b"HDRGainMap",
)  # fmt: skip


def jpeg_parts(source: Source) -> Parts:
    """Yield the parts of a JPEG file's essence.

    An index of further pictures, residuals, or anything else in an application's segment that is not known to be
    words makes it have none; so do media behind its end.
    """
    yield Stretch(0, 2)
    at, profile = 2, blake3()
    has_scan = has_profile = has_xmp = False
    while True:
        mark, code = source.read(at, 2)
        if mark != 0xFF:
            raise NoEssence("it is damaged")
        if code == _EOI:
            if not has_scan:
                raise NoEssence("there is no picture in it")
            yield Stretch(at, 2)
            check_rest_after(source, at + 2)
            if has_profile:
                yield Shown("profile", profile.hexdigest(8))
            return
        (length,) = struct.unpack(">H", source.read(at + 2, 2))
        content = source.read(at + 4, length - 2) if length >= 2 else b""
        if code == _COMMENT or code in _APPLICATION:
            if code != _COMMENT:
                _check_words(code, content)
            if code == 0xE1 and content.startswith(b"Exif\0"):
                yield from shown_by_exif(content[6:])
            if code == 0xE1 and content.startswith(_XMP):
                if has_xmp:
                    raise NoEssence("it has XMP twice")
                has_xmp = True
                yield from edits_in(content)
            if code == 0xE2:
                has_profile = True
                profile.update(content)
            at += 2 + length
        elif code == _SOS:
            yield Stretch(at, 2 + length)
            at += 2 + length
            has_scan = True
            for end in _scan(source, at):
                yield Stretch(at, end - at)
                at = end
        elif code in _TABLES and code not in _NEITHER and length >= 2:
            yield Stretch(at, 2 + length)
            at += 2 + length
        else:
            raise NoEssence("it has a segment that is not known")


def _check_words(code: int, content: bytes) -> None:
    if not content.startswith(_WORDS.get(code, ())):
        raise NoEssence("a program's segment in it may be more than words")
    if any(sign in content for sign in _PICTURES_IN_WORDS):
        raise NoEssence("what is written in it tells of further pictures or sounds")


def _scan(source: Source, at: int) -> "list[int] | Any":
    """Yield where blocks of entropy-coded data end, the last one before the next marker."""
    import numpy as np

    marks_here = np.empty(WINDOW, np.uint8)
    block = SMALL_WINDOW  # whoever asks for the beginning alone need not wait for more
    while True:
        length = min(block, source.size - at)
        block = WINDOW
        if length < 2:
            raise NoEssence("it has no end")
        data = np.frombuffer(source.view(at, length), np.uint8)
        is_mark = marks_here[: length - 1]
        np.equal(data[:-1], 0xFF, out=is_mark.view(bool))
        # Passes that nothing branches in: nearly all blocks have marks before stuffed bytes alone, which are zero.
        if np.minimum(is_mark, data[1:], out=is_mark).max():
            marks = np.flatnonzero(is_mark.view(bool))
            codes = data[marks + 1]
            # Restarts and fill bytes belong to the data, as stuffed bytes do.
            found = marks[(codes != 0xFF) & ((codes < 0xD0) | (codes > 0xD7))]
            if len(found):
                yield at + int(found[0])
                return
        at += length - 1  # its last byte may be the first of a marker
        yield at
