"""Playlists: M3U and M3U8, PLS, and XSPF (version 1, xspf.org).

Streams (``http:`` and other URLs) are entries like any other; that they are no files is seen by who matches them.
"""

import re
from collections.abc import Iterator
from typing import TYPE_CHECKING

from foldkeep.model.catalogs import CatalogEntry

from ..reading import lines_of, opened_file, read_whole

if TYPE_CHECKING:
    from xml.etree.ElementTree import Element

XSPF = "{http://xspf.org/ns/0/}"
_BASE = "{http://www.w3.org/XML/1998/namespace}base"
URL = re.compile(r"[A-Za-z][A-Za-z0-9+.-]+:")
PLS_FILE = re.compile(r"\s*file\d+\s*=\s*(.+?)\s*", re.IGNORECASE)


def read_m3u(path: str) -> Iterator[CatalogEntry]:
    """Yield the files of an M3U playlist; raises OSError or ValueError if it cannot be read."""
    with opened_file(path) as file:
        for number, line in lines_of(file):
            if line.strip() and not line.lstrip().startswith("#"):
                yield CatalogEntry(line.strip(" \t"), f"line {number}")


def read_pls(path: str) -> Iterator[CatalogEntry]:
    """Yield the files of a PLS playlist; raises OSError or ValueError if it cannot be read."""
    with opened_file(path) as file:
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


def xspf_bases(root: "Element") -> "dict[Element, str]":
    """Return what the locations of a playlist are relative to, where it says so (W3C, XML Base); nothing elsewhere."""
    from urllib.parse import urljoin

    bases: dict[Element, str] = {}
    if any(_BASE in element.attrib for element in root.iter()):
        waiting = [(root, "")]
        while waiting:
            element, above = waiting.pop()
            bases[element] = urljoin(above, element.get(_BASE, ""))
            waiting.extend((child, bases[element]) for child in element)
    return bases


def read_xspf(path: str) -> Iterator[CatalogEntry]:
    """Yield the files of an XSPF playlist, whose locations are URIs, relative ones too; errors as for `parse_xspf`."""
    from urllib.parse import unquote_to_bytes, urljoin

    root = parse_xspf(path)
    bases = xspf_bases(root)
    for where, track, location in xspf_locations(root):
        text = (location.text or "").strip()
        if bases:
            text = urljoin(bases[location], text)
        if not URL.match(text):
            text = unquote_to_bytes(text).decode("utf-8", "surrogateescape")
        yield CatalogEntry(text, where, title=track.findtext(f"{XSPF}title") or None)


def xspf_locations(root: "Element") -> "Iterator[tuple[str, Element, Element]]":
    """Yield where a playlist has a location, its track and itself; a track may have several, of which any will do."""
    for number, track in enumerate(root.iter(f"{XSPF}track"), start=1):
        locations = [each for each in track.iterfind(f"{XSPF}location") if each.text and each.text.strip()]
        for place, location in enumerate(locations, start=1):
            yield f"track {number}" + (f", location {place}" if place > 1 else ""), track, location
