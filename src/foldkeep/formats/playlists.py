"""Playlists: M3U and M3U8, PLS, and XSPF (version 1, xspf.org).

Streams (``http:`` and other URLs) are entries like any other; that they are no files is seen by who matches them.
"""

import re
from collections.abc import Iterator
from typing import TYPE_CHECKING

from foldkeep.model import CatalogEntry

from .reading import lines_of, read_whole

if TYPE_CHECKING:
    from xml.etree.ElementTree import Element

XSPF = "{http://xspf.org/ns/0/}"
URL = re.compile(r"[A-Za-z][A-Za-z0-9+.-]+:")
PLS_FILE = re.compile(r"\s*file\d+\s*=\s*(.+?)\s*", re.IGNORECASE)


def read_m3u(path: str) -> Iterator[CatalogEntry]:
    """Yield the files of an M3U playlist; raises OSError or ValueError if it cannot be read."""
    with open(path, "rb") as file:
        for number, line in lines_of(file):
            if line.strip() and not line.lstrip().startswith("#"):
                yield CatalogEntry(line.strip(" \t"), f"line {number}")


def read_pls(path: str) -> Iterator[CatalogEntry]:
    """Yield the files of a PLS playlist; raises OSError or ValueError if it cannot be read."""
    with open(path, "rb") as file:
        for number, line in lines_of(file):
            if found := PLS_FILE.fullmatch(line):
                yield CatalogEntry(found[1], f"line {number}")


def parse_xspf(path: str) -> "Element":
    """Return the root of an XSPF playlist; raises OSError or ValueError if it is none, or declares entities."""
    from xml.etree.ElementTree import ParseError

    from defusedxml import DefusedXmlException
    from defusedxml.ElementTree import fromstring

    try:
        root: Element = fromstring(read_whole(path))
    except (ParseError, DefusedXmlException, LookupError) as error:
        raise ValueError(f"it is no XSPF: {error}") from error
    return root


def read_xspf(path: str) -> Iterator[CatalogEntry]:
    """Yield the files of an XSPF playlist, whose locations are URIs, relative ones too; errors as for `parse_xspf`."""
    from urllib.parse import unquote_to_bytes

    for number, track in enumerate(parse_xspf(path).iter(f"{XSPF}track"), start=1):
        location = track.findtext(f"{XSPF}location")
        if location and location.strip():
            text = location.strip()
            if not URL.match(text):
                text = unquote_to_bytes(text).decode("utf-8", "surrogateescape")
            yield CatalogEntry(text, f"track {number}", title=track.findtext(f"{XSPF}title") or None)
