"""Playlists: M3U and M3U8, PLS, and XSPF (version 1, xspf.org).

Streams (``http:`` and other URLs) are entries like any other; that they are no files is seen by who matches them.
"""

import re
from collections.abc import Iterator

from foldkeep.model import CatalogEntry

from .reading import lines_of, read_whole

_XSPF = "{http://xspf.org/ns/0/}"
_PLS_FILE = re.compile(r"\s*file\d+\s*=\s*(.+?)\s*", re.IGNORECASE)


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
            if found := _PLS_FILE.fullmatch(line):
                yield CatalogEntry(found[1], f"line {number}")


def read_xspf(path: str) -> Iterator[CatalogEntry]:
    """Yield the files of an XSPF playlist, whose locations are URIs, relative ones too.

    XML that declares entities is refused. Raises OSError or ValueError if it cannot be read.
    """
    from urllib.parse import unquote_to_bytes
    from xml.etree.ElementTree import ParseError

    from defusedxml import DefusedXmlException
    from defusedxml.ElementTree import fromstring

    try:
        root = fromstring(read_whole(path))
    except (ParseError, DefusedXmlException, LookupError) as error:
        raise ValueError(f"it is no XSPF: {error}") from error
    for number, track in enumerate(root.iter(f"{_XSPF}track"), start=1):
        location = track.findtext(f"{_XSPF}location")
        if location and location.strip():
            text = location.strip()
            if not re.match(r"[A-Za-z][A-Za-z0-9+.-]+:", text):
                text = unquote_to_bytes(text).decode("utf-8", "surrogateescape")
            yield CatalogEntry(text, f"track {number}", title=track.findtext(f"{_XSPF}title") or None)
