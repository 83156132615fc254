"""Thumbnails as desktops keep them: PNG with the file's URI and date inside (freedesktop.org, Thumbnail Managing
Standard 0.9)."""

from contextlib import suppress
from typing import NamedTuple


class Thumbnail(NamedTuple):
    """Statement of a thumbnail on its file: URI, and time of modification in whole seconds."""

    uri: str
    modified: int | None


def read_thumbnail(path: bytes) -> Thumbnail | None:
    """Return what a thumbnail says; None if it cannot be read or is none. Nothing of its picture is decoded."""
    from PIL import Image

    try:
        with Image.open(path, formats=["PNG"]) as image:
            said = image.info
    except Exception:  # whatever a broken file leads the library to
        return None
    uri, moment = said.get("Thumb::URI"), said.get("Thumb::MTime")
    if not isinstance(uri, str):
        return None
    modified = None
    with suppress(ValueError, TypeError, OverflowError):
        modified = int(float(str(moment)))
    return Thumbnail(uri, modified)
