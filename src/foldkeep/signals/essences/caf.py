"""The essence of Core Audio Format files: what describes and decodes the samples, and they."""

import struct

from .parts import NoEssence, Parts, Source, Stretch, Told

_DECODING = frozenset((b"desc", b"chan", b"pakt", b"kuki"))
_WORDS = frozenset((b"strg", b"mark", b"regn", b"inst", b"midi", b"ovvw", b"peak", b"info", b"umid", b"free", b"edct"))
_COUNT_OF_EDITS = 4
_MOST_TOLD = 64 * 1024 * 1024


def caf_parts(source: Source) -> Parts:
    """Yield the parts of the essence of a CAF file."""
    at, samples = 8, None
    while at < source.size:
        name, length = struct.unpack(">4sq", source.read(at, 12))
        if name == b"data" and length == -1:
            length = source.size - at - 12
        if length < 0 or at + 12 + length > source.size or (name in _DECODING and length > _MOST_TOLD):
            raise NoEssence("it is damaged")
        if name in _DECODING:
            yield Told(name + source.read(at + 12, length))
        elif name == b"data" and samples is None and length >= _COUNT_OF_EDITS:
            samples = Stretch(at + 12 + _COUNT_OF_EDITS, length - _COUNT_OF_EDITS)
        elif name not in _WORDS:
            raise NoEssence("it has a chunk that is not known")
        at += 12 + length
    if samples is None:
        raise NoEssence("there is no sound in it")
    yield samples
