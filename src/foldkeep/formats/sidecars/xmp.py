"""XMP sidecars: what people wrote about a picture or clip, in a file beside it.

After ISO 16684-1 (data model and serialization). A property may be written as an attribute of
``rdf:Description`` or as an element in it, and lists as ``rdf:Bag``, ``rdf:Seq`` or ``rdf:Alt``.
"""

from collections.abc import Iterator
from typing import TYPE_CHECKING, NamedTuple

if TYPE_CHECKING:
    from xml.etree.ElementTree import Element

RDF = "http://www.w3.org/1999/02/22-rdf-syntax-ns#"
DC = "http://purl.org/dc/elements/1.1/"
XMP = "http://ns.adobe.com/xap/1.0/"
_RDF, _DC, _XMP = f"{{{RDF}}}", f"{{{DC}}}", f"{{{XMP}}}"
_MANAGEMENT = "{http://ns.adobe.com/xap/1.0/mm/}"
BOOKKEEPING = (
    *(f"{_XMP}{name}" for name in ("MetadataDate", "ModifyDate", "CreatorTool")),
    *(f"{_MANAGEMENT}{name}" for name in ("InstanceID", "DocumentID", "OriginalDocumentID", "History")),
)
"""Properties that tell of the sidecar itself: when and by what it was saved."""

LARGEST_SIDECAR = 4 * 1024 * 1024
"""Bytes; a sidecar is a few kilobytes, and what is larger is not read."""

_HIGHEST_RATING = 1000  # some programs count to 100
_EXIF = "{http://ns.adobe.com/exif/1.0/}"
# Where the IPTC Photo Metadata Standard puts its date of creation.
_IPTC = "{http://ns.adobe.com/photoshop/1.0/}"
# The moment of capture under each of the names that it goes by, the most exact one first.
_CAPTURED = (f"{_EXIF}DateTimeOriginal", f"{_IPTC}DateCreated", f"{_XMP}CreateDate")


class Xmp(NamedTuple):
    """Statements of a sidecar.

    Attributes
    ----------
    keywords
        ``dc:subject``.
    rating
        ``xmp:Rating``: -1 (rejected) to 5.
    title, description
        The first of ``dc:title`` and ``dc:description``.
    captured
        When the picture was taken, as it is written there (ISO 8601, often without time zone).
    """

    keywords: tuple[str, ...] = ()
    rating: float | None = None
    title: str | None = None
    description: str | None = None
    captured: str | None = None

    @property
    def facts(self) -> int:
        """How many things it says: each keyword counts as one."""
        return len(self.keywords) + sum(
            fact is not None for fact in (self.rating, self.title, self.description, self.captured)
        )


def parse_document(document: bytes) -> "Element":
    """Return the root of an XMP document; raise ValueError if it is none.

    XML that declares entities is refused: no sidecar needs them, and they are a way to exhaust memory.
    """
    from xml.etree.ElementTree import ParseError

    from defusedxml import DefusedXmlException
    from defusedxml.ElementTree import fromstring

    try:
        root: Element = fromstring(document)
    except (ParseError, DefusedXmlException, ValueError, LookupError) as error:
        raise ValueError(f"not XMP: {error}") from error
    return root


def parse_xmp(document: bytes) -> Xmp:
    """Return what an XMP document says; raise ValueError if it is none."""
    found: dict[str, list[str]] = {}
    for node in parse_document(document).iter(f"{_RDF}Description"):
        for name, values in _properties(node):
            found.setdefault(name, []).extend(values)
    return Xmp(
        tuple(dict.fromkeys(found.get(f"{_DC}subject", ()))),
        _number(_first(found, f"{_XMP}Rating")),
        _first(found, f"{_DC}title"),
        _first(found, f"{_DC}description"),
        next((value for name in _CAPTURED if (value := _first(found, name))), None),
    )


def _properties(node: "Element") -> Iterator[tuple[str, list[str]]]:
    for name, value in node.attrib.items():
        yield name, [value.strip()]
    for element in node:
        items = [item.text or "" for item in element.iter(f"{_RDF}li")] or [element.text or ""]
        yield element.tag, [item.strip() for item in items if item.strip()]


def _first(found: dict[str, list[str]], name: str) -> str | None:
    return next((value for value in found.get(name, ()) if value), None)


def _number(text: str | None) -> float | None:
    return bounded_number(text) if text is not None else None


def bounded_number(value: str | float) -> float | None:
    """Return a number that somebody gave as a rating; None for what is none, or larger than any rating can be."""
    try:
        number = float(value)
    except (ValueError, OverflowError):
        return None
    return number if abs(number) <= _HIGHEST_RATING else None
