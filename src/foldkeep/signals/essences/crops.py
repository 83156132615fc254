"""What XMP says of how a picture is cropped when it is shown by the programs that wrote it."""

import re

_HAS_CROP = re.compile(rb"HasCrop\s*(?:=\s*[\"']|>)\s*true", re.IGNORECASE)
_EDGES = re.compile(rb"(Crop(?:Top|Left|Bottom|Right|Angle))\s*(?:=\s*[\"']|>)\s*([-+.\d]{1,20})")


def crop_in(xmp: bytes) -> str:
    """Return where the crop that XMP tells has its edges, as words; empty if it tells none."""
    if not _HAS_CROP.search(xmp):
        return ""
    return " ".join(f"{name.decode()}={value.decode()}" for name, value in sorted(set(_EDGES.findall(xmp)))[:10])
