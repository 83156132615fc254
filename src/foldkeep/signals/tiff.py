"""The directories of TIFF files and of the raw files built like them (TIFF 6.0, section 2): where their data lies."""

import struct
from collections.abc import Iterator
from typing import BinaryIO

_MOST_DIRECTORIES = 64
_MOST_VALUES = 1_000_000
_SIZES = {1: 1, 2: 1, 3: 2, 4: 4, 5: 8, 6: 1, 7: 1, 8: 2, 9: 4, 10: 8, 11: 4, 12: 8, 13: 4}  # bytes, by type of field
_WHOLE = {3: "H", 4: "I", 13: "I"}
_DATA = {273: 279, 324: 325, 513: 514}  # offsets of strips, tiles, an embedded JPEG; and the field with their lengths
_INNER = (330, 34665)  # SubIFDs; the Exif directory


def end_of_data(file: BinaryIO, size: int) -> int | None:
    """Return where the data ends that the directories of a TIFF file point to; None if it is no TIFF file.

    A directory or field that lies behind the end of the file counts by where it begins. Without any data it is 0.
    """
    file.seek(0)
    head = file.read(8)
    order = {b"II*\0": "<", b"MM\0*": ">"}.get(head[:4])
    if order is None or len(head) < 8:
        return None
    end = reached = 0
    ahead, seen = [struct.unpack(f"{order}I", head[4:])[0]], set[int]()
    while ahead and len(seen) < _MOST_DIRECTORIES:
        at = ahead.pop()
        if at == 0 or at in seen:
            continue
        seen.add(at)
        if at + 2 > size:
            return int(at) + 2
        fields, after = _directory(file, order, at)
        end = max(end, after)
        ahead.extend(offset for tag in _INNER for offset in fields.get(tag, ()))
        ahead.extend(fields.get(0, ()))
        for offsets, lengths in _DATA.items():
            reached = max([reached, *map(sum, zip(fields.get(offsets, ()), fields.get(lengths, ()), strict=False))])
    return max(end, reached) if reached else 0


def _directory(file: BinaryIO, order: str, at: int) -> tuple[dict[int, list[int]], int]:
    """Return the whole numbers in the fields of a directory that matter, the next directory as field 0, and its end."""
    file.seek(at)
    (count,) = struct.unpack(f"{order}H", file.read(2))
    body = file.read(12 * count + 4)
    fields: dict[int, list[int]] = {}
    end = at + 2 + 12 * count
    for start in range(0, len(body) - 11, 12):
        tag, kind, number = struct.unpack_from(f"{order}HHI", body, start)
        length = _SIZES.get(kind, 0) * number
        place = at + 2 + start + 8
        if length > 4:
            (place,) = struct.unpack_from(f"{order}I", body, start + 8)
            end = max(end, place + length)
        if kind in _WHOLE and tag in (*_DATA, *_DATA.values(), *_INNER) and number <= _MOST_VALUES:
            fields[tag] = list(_numbers(file, order + _WHOLE[kind], place, length))
    if len(body) >= 12 * count + 4:
        fields[0] = [struct.unpack_from(f"{order}I", body, 12 * count)[0]]
    return fields, end


def _numbers(file: BinaryIO, form: str, at: int, length: int) -> Iterator[int]:
    file.seek(at)
    found = file.read(length)
    width = struct.calcsize(form)
    for (value,) in struct.iter_unpack(form, found[: len(found) // width * width]):
        yield int(value)
