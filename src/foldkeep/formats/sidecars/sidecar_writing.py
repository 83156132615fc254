"""Writing XMP sidecars: what is new goes in, everything else that a sidecar says stays (ISO 16684-1)."""

from typing import TYPE_CHECKING, Any

from .xmp import BOOKKEEPING, DC, RDF, XMP, Xmp, parse_document, parse_xmp

if TYPE_CHECKING:
    from xml.dom.minidom import Document, Element
    from xml.etree.ElementTree import Element as Node

_XMLNS = "http://www.w3.org/2000/xmlns/"
_WORDS = tuple(f"{{{space}}}{name}" for space, name in ((DC, "subject"), (XMP, "Rating"), (DC, "title"),
                                                         (DC, "description")))  # fmt: skip
_LANGUAGES = _WORDS[2:]

_NEW = f"""\
<?xpacket begin="\ufeff" id="W5M0MpCehiHzreSzNTczkc9d"?>
<x:xmpmeta xmlns:x="adobe:ns:meta/">
 <rdf:RDF xmlns:rdf="{RDF}">
  <rdf:Description rdf:about="" xmlns:dc="{DC}" xmlns:xmp="{XMP}">
  </rdf:Description>
 </rdf:RDF>
</x:xmpmeta>
<?xpacket end="w"?>
""".encode()


def with_words(document: bytes | None, words: Xmp) -> bytes:
    """Return a sidecar that says these words as well.

    Keywords are added to those that are there; rating, title and description are set where there are none.
    Nothing else changes, which is looked up in the result before it is returned.

    Parameters
    ----------
    document
        The sidecar so far; None for a new one.
    words
        Of these, `captured` is not written.

    Raises
    ------
    ValueError
        If the document is no XMP, or of a kind that cannot be added to without changing something else.
    """
    from xml.parsers.expat import ExpatError

    from defusedxml import DefusedXmlException
    from defusedxml.minidom import parseString

    before = _NEW if document is None else document
    said = parse_xmp(before)
    try:
        dom = parseString(before)  # type: ignore[arg-type]  # bytes, so that the document tells its encoding
        _Editor(dom).add(said, words)
        after = _text(dom, before)
        kept = _substance(before, _WORDS) == _substance(after, _WORDS)
        now = parse_xmp(after)
    except (ExpatError, DefusedXmlException, RecursionError, LookupError) as error:
        raise ValueError(f"cannot be added to: {error}") from error
    wanted = _added(said, words)
    if not kept or (now.keywords, now.rating, now.title, now.description) != (
        wanted.keywords, wanted.rating, wanted.title, wanted.description
    ):  # fmt: skip
        raise ValueError("cannot be added to without changing what else it says")
    return after


def _added(said: Xmp, words: Xmp) -> Xmp:
    return Xmp(
        tuple(dict.fromkeys((*said.keywords, *words.keywords))),
        said.rating or words.rating or said.rating,
        said.title or words.title,
        said.description or words.description,
    )


def says_more(document: bytes, than: bytes) -> bool:
    """Tell whether a sidecar says anything that another does not.

    A rating, title or description that the other has too does not count, however it reads there: of two that
    differ one has to be chosen. Neither does when and by what program they were saved.

    Raises ValueError if one of them is no XMP.
    """
    said, other = parse_xmp(document), parse_xmp(than)
    if _added(other, said) != _added(other, Xmp()):
        return True
    try:
        there = _substance(than, BOOKKEEPING)
        return any(
            there.get(name) != values
            for name, values in _substance(document, BOOKKEEPING).items()
            if name not in _WORDS or (name in _LANGUAGES and _alternatives(values) > 1)
        )
    except RecursionError as error:
        raise ValueError("too deep to compare") from error


def words_lost(document: bytes, than: bytes) -> tuple[str, ...]:
    """Return which of rating, title and description a sidecar has and another words otherwise, or lacks.

    What else it says is told by `says_more`. Raises ValueError if one of them is no XMP.
    """
    said, other = parse_xmp(document), parse_xmp(than)
    return tuple(
        what
        for what in ("rating", "title", "description")
        if getattr(said, what) not in (None, 0, getattr(other, what))
    )


def _substance(document: bytes, apart_from: tuple[str, ...]) -> dict[str, list[Any]]:
    """Return the properties of a sidecar by name, each as what is the same however it is written."""
    found: dict[str, list[Any]] = {}
    for node in _top_descriptions(parse_document(document)):
        for name, value in node.attrib.items():
            if name not in (*apart_from, f"{{{RDF}}}about"):
                found.setdefault(name, []).append(((), value.strip(), ()))
        for element in node:
            if element.tag not in apart_from:
                found.setdefault(element.tag, []).append(_value(element))
    return found


def _top_descriptions(root: "Node") -> "list[Node]":
    tops = [root] if root.tag == f"{{{RDF}}}RDF" else list(root.iter(f"{{{RDF}}}RDF"))
    return [node for top in tops for node in top if node.tag == f"{{{RDF}}}Description"]


def _value(element: "Node") -> tuple[Any, ...]:
    inner = tuple((child.tag, _value(child)) for child in element)
    return tuple(sorted(element.attrib.items())), "" if inner else (element.text or "").strip(), inner


def _alternatives(values: list[Any]) -> int:
    return sum(len(container[1][2]) for _, _, inner in values for container in inner)


def _text(dom: "Document", before: bytes) -> bytes:
    declaration = ['<?xml version="1.0" encoding="UTF-8"?>'] if before.lstrip().startswith(b"<?xml") else []
    return "\n".join([*declaration, *(node.toxml() for node in dom.childNodes), ""]).encode()


class _Editor:
    """Adds properties to a document."""

    def __init__(self, dom: "Document") -> None:
        self._dom = dom
        self._tops: list[Element] = [
            node
            for top in dom.getElementsByTagNameNS(RDF, "RDF")
            for node in top.childNodes
            if node.nodeType == node.ELEMENT_NODE and (node.namespaceURI, node.localName) == (RDF, "Description")
        ]
        if not self._tops:
            raise LookupError("it describes nothing")

    def add(self, said: Xmp, words: Xmp) -> None:
        """Add what is new in `words` to a document that says `said`."""
        new = [word for word in dict.fromkeys(words.keywords) if word not in said.keywords]
        if new:
            self._add_keywords(said.keywords, new)
        if not said.rating and words.rating:
            element = self._fresh("xmp", XMP, "Rating")
            element.appendChild(self._dom.createTextNode(f"{words.rating:g}"))
        for name, there, text in (
            ("title", said.title, words.title),
            ("description", said.description, words.description),
        ):
            if text and not there:
                element = self._fresh("dc", DC, name)
                item = self._item(self._below(element, "Alt"), text)
                item.setAttribute("xml:lang", "x-default")

    def _add_keywords(self, said: tuple[str, ...], new: list[str]) -> None:
        present = [
            container
            for top in self._tops
            for element in _children(top, DC, "subject")
            for name in ("Bag", "Seq", "Alt")
            for container in _children(element, RDF, name)
        ]
        if present:
            for word in new:
                self._item(present[0], word)
            return
        bag = self._below(self._fresh("dc", DC, "subject"), "Bag")
        for word in (*said, *new):
            self._item(bag, word)

    def _fresh(self, prefix: str, space: str, name: str) -> "Element":
        """Return a new, empty property, after taking away what stands for it without saying it."""
        for top in self._tops:
            for element in _children(top, space, name):
                top.removeChild(element)
            if top.hasAttributeNS(space, name):
                top.removeAttributeNS(space, name)
        element = self._named(self._tops[0], prefix, space, name)
        _append(self._tops[0], element)
        return element

    def _below(self, parent: "Element", name: str) -> "Element":
        element = self._named(parent, "rdf", RDF, name)
        parent.appendChild(element)
        return element

    def _item(self, container: "Element", text: str) -> "Element":
        item = self._named(container, "rdf", RDF, "li")
        item.appendChild(self._dom.createTextNode(text))
        _append(container, item)
        return item

    def _named(self, parent: "Element", prefix: str, space: str, name: str) -> "Element":
        """Return a new element that is to stand below `parent`, with the prefix that its namespace has there."""
        bound: dict[str, str] = {}
        node: Any = parent
        while node is not None and node.nodeType == node.ELEMENT_NODE:
            for attribute in node.attributes.values():
                if attribute.namespaceURI == _XMLNS:
                    bound.setdefault("" if attribute.prefix is None else attribute.localName, attribute.value)
            node = node.parentNode
        known = next((each for each, uri in bound.items() if uri == space), None)
        used = prefix if known is None else known
        element: Element = self._dom.createElementNS(space, f"{used}:{name}" if used else name)
        if known is None:
            element.setAttributeNS(_XMLNS, f"xmlns:{used}", space)
        return element


def _children(parent: "Element", space: str, name: str) -> "list[Element]":
    return [
        node
        for node in parent.childNodes
        if node.nodeType == node.ELEMENT_NODE and (node.namespaceURI, node.localName) == (space, name)
    ]


def _append(parent: "Element", node: "Element") -> None:
    """Put a node last, on a line of its own where its neighbours have that."""
    first: Any = parent.firstChild
    last: Any = parent.lastChild
    if not first or not first.nodeType == last.nodeType == node.TEXT_NODE or last.data.strip():
        parent.appendChild(node)
        return
    indent = first.cloneNode(False)
    if first is last:
        indent.data += " "
    parent.insertBefore(indent, last)
    parent.insertBefore(node, last)
