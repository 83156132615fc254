"""The essence of TIFF files (TIFF 6.0) and of the raw files built like them.

Everything belongs to it but tags that are known to be words: a tag of a maker may decode the picture. Where something
lies does not belong to it. A file with bytes that no directory points to has none.
"""

import struct
from typing import NamedTuple

from .coverage import check_covered
from .edits import edits_in
from .parts import NoEssence, Parts, Shown, Source, Stretch, Told

_MOST_DIRECTORIES, _MOST_FIELDS, _MOST_VALUE = 64, 2000, 64 * 1024 * 1024
_SIZES = {1: 1, 2: 1, 3: 2, 4: 4, 5: 8, 6: 1, 7: 1, 8: 2, 9: 4, 10: 8, 11: 4, 12: 8, 13: 4}  # bytes, by type of field
_NUMBERS = {1: "B", 3: "H", 4: "I", 13: "I"}
_DATA = {273: 279, 324: 325, 513: 514}  # offsets of strips, tiles, an embedded JPEG; and the field with their lengths
_SUB_DIRECTORIES, _EXIF, _GPS, _INTEROPERABILITY = 330, 34665, 34853, 40965
_INNER = (_SUB_DIRECTORIES, _EXIF, _GPS, _INTEROPERABILITY)
_ORIENTATION, _XMP, _MAKER_NOTE, _PROFILE = 274, 700, 37500, 34675
_WORDS = frozenset((
    269, 270, 282, 283, 285, 296, 297, 305, 306, 315, 316, 333, 18246, 18249, 33432, 33723, 34377, _XMP, _ORIENTATION,
    40091, 40092, 40093, 40094, 40095,
))  # fmt: skip
_WORDS_OF_EXIF = frozenset((
    36867, 36868, 36880, 36881, 36882, 37510, 37520, 37521, 37522, 42016, 42032,
))  # fmt: skip
_SIGN_OF_SECOND_HEADER = b"CR\2\0"


class _Field(NamedTuple):
    tag: int
    kind: int
    values: int
    at: int
    length: int


def tiff_parts(source: Source) -> Parts:
    """Yield the parts of the essence of a TIFF file, or a raw file built like one."""
    yield from _Reader(source).parts()


class _Reader:
    def __init__(self, source: Source) -> None:
        self._source = source
        self._order = "<" if source.read(0, 2) == b"II" else ">"
        self._known = [Stretch(0, 8)]
        self._seen = set[int]()
        self._data = 0

    def parts(self) -> Parts:
        (first,) = self._unpacked("I", 4)
        yield Told(self._order.encode())
        if self._source.read(8, 4) == _SIGN_OF_SECOND_HEADER and first >= 16:
            self._known.append(Stretch(8, 8))
            yield Told(_SIGN_OF_SECOND_HEADER)
        yield from self._chain(first, "main")
        if not self._data:
            raise NoEssence("there is no picture in it")
        check_covered(self._source, self._known)

    def _chain(self, at: int, name: str) -> Parts:
        """Yield the parts of a directory and of those that follow it."""
        while at:
            if at in self._seen or len(self._seen) >= _MOST_DIRECTORIES:
                raise NoEssence("its directories do not end")
            self._seen.add(at)
            (count,) = self._unpacked("H", at)
            if not 0 < count <= _MOST_FIELDS:
                raise NoEssence("it is damaged")
            self._known.append(Stretch(at, 2 + 12 * count + 4))
            fields = [self._field(at + 2 + 12 * number) for number in range(count)]
            yield from self._directory(fields, name)
            (at,) = self._unpacked("I", at + 2 + 12 * count)
            if name == "exif":
                return

    def _directory(self, fields: list[_Field], name: str) -> Parts:
        by_tag = {field.tag: field for field in fields}
        if len(by_tag) < len(fields):
            raise NoEssence("it is damaged")
        # Without a maker's note, nothing of Exif's directory is needed to decode a picture.
        is_words = name == "words" or (name == "exif" and _MAKER_NOTE not in by_tag)
        yield from () if is_words else (Told(name.encode()),)
        lengths = set(_DATA.values())
        for field in fields:
            if field.tag in _DATA:
                yield from self._stretches(field, by_tag)
            elif field.tag in _INNER:
                inner = {_SUB_DIRECTORIES: "sub", _EXIF: "exif"}.get(field.tag, "words")
                for at in self._numbers(field):
                    yield from self._chain(at, inner)
            elif field.tag in _WORDS or is_words or (name == "exif" and field.tag in _WORDS_OF_EXIF):
                yield from self._shown(field, name)
            else:
                told = tuple(field[:3]) if field.tag not in lengths else (field.tag, 0, field.values)
                yield Told(repr(told).encode() + (self._value(field) if field.tag not in lengths else b""))

    def _stretches(self, field: _Field, by_tag: dict[int, _Field]) -> Parts:
        if _DATA[field.tag] not in by_tag:
            raise NoEssence("it is damaged")
        offsets, lengths = self._numbers(field), self._numbers(by_tag[_DATA[field.tag]])
        if len(offsets) != len(lengths):
            raise NoEssence("it is damaged")
        yield Told(repr((field.tag, lengths)).encode())
        for offset, length in zip(offsets, lengths, strict=True):
            if length:
                self._data += length
                self._known.append(Stretch(offset, length))
                yield Stretch(offset, length)

    def _shown(self, field: _Field, name: str) -> Parts:
        if field.tag == _ORIENTATION and name == "main" and field.kind == 3:
            (turned,) = self._unpacked("H", field.at)
            if 2 <= turned <= 8:
                yield Shown("orientation", str(turned))
        if field.tag == _XMP:
            yield from edits_in(self._value(field))

    def _field(self, at: int) -> _Field:
        tag, kind, count = self._unpacked("HHI", at)
        length = _SIZES.get(kind, 0) * count
        if not length or length > _MOST_VALUE:
            raise NoEssence("it has a field that is not known")
        place = at + 8
        if length > 4:
            (place,) = self._unpacked("I", at + 8)
            self._known.append(Stretch(place, length))
            if place + length > self._source.size:
                raise NoEssence("it ends too early")
        return _Field(tag, kind, count, place, length)

    def _numbers(self, field: _Field) -> list[int]:
        if field.kind not in _NUMBERS:
            raise NoEssence("it is damaged")
        return list(struct.unpack(f"{self._order}{field.values}{_NUMBERS[field.kind]}", self._value(field)))

    def _value(self, field: _Field) -> bytes:
        return self._source.read(field.at, field.length)

    def _unpacked(self, form: str, at: int) -> tuple[int, ...]:
        form = self._order + form
        return struct.unpack(form, self._source.read(at, struct.calcsize(form)))
