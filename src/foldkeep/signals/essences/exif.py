"""What Exif data say of how a picture is to be shown (Exif 3.0): how it is turned, and in which colours it is."""

import struct
from collections.abc import Iterator

from .parts import Parts, Shown

_ORIENTATION, _FOLDER, _COLORS = 0x0112, 0x8769, 0xA001
_INTEROPERABILITY, _INDEX = 0xA005, 0x0001
_USUAL_COLORS = 1  # sRGB; Adobe RGB is 2, or "uncalibrated" where interoperability says R03
_MOST_FIELDS = 1000


def shown_by_exif(exif: bytes) -> Parts:
    """Yield what Exif data tell of orientation, if not upright, and of colours, if not the usual ones."""
    order = {b"II": "<", b"MM": ">"}.get(exif[:2])
    if order is None or len(exif) < 8:
        return
    first = dict(_fields(exif, order, *struct.unpack_from(f"{order}I", exif, 4)))
    turned = _short(exif, order, first.get(_ORIENTATION))
    if 2 <= turned <= 8:
        yield Shown("orientation", str(turned))
    inner = dict(_fields(exif, order, _place(exif, order, first.get(_FOLDER))))
    colors = _short(exif, order, inner.get(_COLORS))
    index = dict(_fields(exif, order, _place(exif, order, inner.get(_INTEROPERABILITY)))).get(_INDEX)
    if colors not in (0, _USUAL_COLORS):
        yield Shown("colors", f"{colors} {exif[index + 8 : index + 11].decode('latin-1') if index else ''}".strip())


def _fields(exif: bytes, order: str, at: int) -> Iterator[tuple[int, int]]:
    """Yield tag and place of the fields of a directory; nothing of one that does not lie in the data."""
    if not 8 <= at <= len(exif) - 2:
        return
    (count,) = struct.unpack_from(f"{order}H", exif, at)
    for place in range(at + 2, at + 2 + 12 * min(count, _MOST_FIELDS), 12):
        if place + 12 > len(exif):
            return
        yield struct.unpack_from(f"{order}H", exif, place)[0], place


def _short(exif: bytes, order: str, place: int | None) -> int:
    """Return the one short number of a field; 0 if it has none."""
    if place is None:
        return 0
    _, kind, count, value = struct.unpack_from(f"{order}HHIH", exif, place)
    return int(value) if (kind, count) == (3, 1) else 0


def _place(exif: bytes, order: str, place: int | None) -> int:
    """Return where the directory of a field lies; 0 if it has none."""
    return 0 if place is None else int(struct.unpack_from(f"{order}I", exif, place + 8)[0])
