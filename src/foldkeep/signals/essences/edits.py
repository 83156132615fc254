"""What XMP says of how a picture is developed and cropped when it is shown by programs that know these settings."""

import re

from blake3 import blake3

from .parts import Parts, Shown

_SETTINGS = re.compile(rb"xmlns:([\w.-]{1,40})\s*=\s*[\"']http://ns\.adobe\.com/camera-raw-settings/1\.0/[\"']")
_HAS_CROP = re.compile(rb"HasCrop\s*(?:=\s*[\"']|>)\s*true", re.IGNORECASE)
_EDGES = re.compile(rb"(Crop(?:Top|Left|Bottom|Right|Angle))\s*(?:=\s*[\"']|>)\s*([-+.\d]{1,20})")
_LONGEST = 256 * 1024  # of what is read setting by setting
_NO_SETTINGS = (b"RawFileName", b"Version", b"ProcessVersion", b"AlreadyApplied")


def edits_in(xmp: bytes) -> Parts:
    """Yield what XMP tells of a crop, and of settings by which a picture is developed, if it tells any."""
    if _HAS_CROP.search(xmp):
        edges = sorted(set(_EDGES.findall(xmp)))[:10]
        yield Shown("crop", " ".join(f"{name.decode()}={value.decode()}" for name, value in edges))
    found = _SETTINGS.search(xmp)
    if found and len(xmp) > _LONGEST:
        yield Shown("edits", blake3(xmp).hexdigest(8))
    elif found:
        prefix = found[1]
        pattern = rb"\b" + re.escape(prefix) + rb":(\w{1,60})\s*(?:=\s*[\"']([^\"']{0,4000})|>([^<]{0,200})<)"
        settings = sorted({each for each in re.findall(pattern, xmp) if each[0] not in _NO_SETTINGS})
        if settings:
            yield Shown("edits", blake3(repr(settings).encode()).hexdigest(8))
