"""What Exif data say of how a picture is to be turned (Exif 3.0, tag 0x0112)."""

import struct

_ORIENTATION = 0x0112
_MOST_FIELDS = 1000


def orientation_of(exif: bytes) -> int:
    """Return the orientation that the first directory of Exif data tells, 2 to 8; 0 for none or upright."""
    order = {b"II": "<", b"MM": ">"}.get(exif[:2])
    if order is None or len(exif) < 8:
        return 0
    (at,) = struct.unpack_from(f"{order}I", exif, 4)
    if at + 2 > len(exif):
        return 0
    (count,) = struct.unpack_from(f"{order}H", exif, at)
    for number in range(min(count, _MOST_FIELDS)):
        field = at + 2 + 12 * number
        if field + 12 > len(exif):
            break
        tag, kind, values = struct.unpack_from(f"{order}HHI", exif, field)
        if tag == _ORIENTATION and kind == 3 and values == 1:
            (value,) = struct.unpack_from(f"{order}H", exif, field + 8)
            return int(value) if 2 <= value <= 8 else 0
    return 0
