"""The essence of AIFF and AIFF-C files: the format and the samples."""

import struct

from .parts import NoEssence, Parts, Source, Stretch, Told

_WORDS = frozenset((
    b"NAME", b"AUTH", b"(c) ", b"ANNO", b"COMT", b"MARK", b"INST", b"MIDI", b"AESD", b"ID3 ", b"id3 ", b"FVER", b"bext",
    b"JUNK", b"iXML",
))  # fmt: skip


def aiff_parts(source: Source) -> Parts:
    """Yield the parts of the essence of an AIFF or AIFF-C file."""
    whole, form = struct.unpack(">I4s", source.read(4, 8))
    end = whole + 8
    if end > source.size or source.size > end + 1:
        raise NoEssence("it ends too early, or something follows its end")
    yield Told(form)
    at, samples = 12, None
    while at < end:
        name, length = struct.unpack(">4sI", source.read(at, 8))
        if at + 8 + length > end:
            raise NoEssence("it is damaged")
        if name == b"COMM":
            yield Told(source.read(at + 8, length))
        elif name == b"SSND" and samples is None:
            samples = Stretch(at + 8, length)
        elif name not in _WORDS:
            raise NoEssence("it has a chunk that is not known")
        at += 8 + length + length % 2
    if samples is None:
        raise NoEssence("there is no sound in it")
    yield samples
