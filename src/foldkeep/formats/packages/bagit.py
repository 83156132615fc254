"""BagIt 1.0 (RFC 8493) as text: manifests, tags, and names that every reader of bags understands alike."""

import codecs
import hashlib
import os
import re
import unicodedata
from collections.abc import Iterable, Iterator
from urllib.parse import quote_from_bytes, unquote_to_bytes, urlparse

from ..reading import text_encoding

VERSION = "1.0"
ALGORITHMS = tuple(
    name for name in ("md5", "sha1", "sha224", "sha256", "sha384", "sha512", "sha3_256", "sha3_512")
    if name in hashlib.algorithms_available
)  # fmt: skip
"""The digests that manifests may have, by their names here and in the names of manifests."""

PAYLOAD = "data"
DECLARATION, INFO, OLD_INFO, FETCH = "bagit.txt", "bag-info.txt", "package-info.txt", "fetch.txt"
LISTING = "foldkeep-files.jsonl"
KEY_TAG = "External-Identifier"

_MANIFEST = re.compile(r"(tag)?manifest-([a-z0-9-]+)\.txt")
_UNPLAIN = re.compile(rb"[\x00-\x1f\x7f%;]|^[ *]| $")
_LONGEST_VERSION = 20
_MOST_IDLE_LINES = 100_000
_OXUM = re.compile(r"(\d{1,20})\.(\d{1,20})")


class BadPackage(ValueError):
    """A package is not what it should be; the words say how."""


def plain_name(name: bytes) -> str:
    r"""Return a name under which a payload file lies: as it is, but for what programs write differently.

    RFC 8493 has per cent signs and line ends encoded in manifests, and readers disagree on how to read them; bytes
    that are no UTF-8 cannot stand in a manifest at all; what follows a semicolon unpackers of zip take for the version
    of a file. Such bytes are written ``=XX``; which file was meant tells the listing.

    >>> plain_name(b"100%\xff.jpg")
    '100=25=FF.jpg'
    """
    marked = _UNPLAIN.sub(lambda found: b"=%02X" % found[0][0], name)
    try:
        text = marked.decode()
    except UnicodeDecodeError:
        text = marked.decode("utf-8", "surrogateescape")
        text = "".join(f"={ord(char) - 0xDC00:02X}" if "\udc80" <= char <= "\udcff" else char for char in text)
    # What a reader strips from the end of a line, or sees as a step of its own, is marked as well.
    return "".join(f"={ord(c):02X}" if c.isspace() and c != " " else c for c in text)


def same_name(name: str) -> str:
    """Return what two names have in common that some system takes for one."""
    return composed(name).casefold()


def composed(path: str) -> str:
    """Return a path in the normal form of Unicode in which paths are compared (RFC 8493, 5.2.2)."""
    return unicodedata.normalize("NFC", path)


def is_payload(path: str) -> bool:
    """Tell whether a path within a package is payload, or the folder of that."""
    return path == PAYLOAD or path.startswith(f"{PAYLOAD}/")


def manifest_line(digest: str, path: str) -> str:
    """Return the line of a manifest for a file; RFC 8493 has per cent signs and line ends in paths encoded."""
    encoded = path.replace("%", "%25").replace("\r", "%0D").replace("\n", "%0A")
    return f"{digest}  {encoded}\n"


def manifest_entries(lines: Iterable[str], name: str) -> Iterator[tuple[bytes, str]]:
    """Yield the digest and the path of each line of a manifest.

    Raises BadPackage if a path leads out of the package, a digest is none, or hardly any line says anything.
    """
    idle = 0
    for line in lines:
        parts = line.strip().split(None, 1)
        if len(parts) < 2 or parts[0].startswith("#"):
            idle += 1
            if idle > _MOST_IDLE_LINES:
                raise BadPackage(f"{name} has more than {_MOST_IDLE_LINES:,} lines that say nothing")
            continue
        try:
            digest = bytes.fromhex(parts[0])
        except ValueError as error:
            raise BadPackage(f"{name} has a line that is none: {line.strip()[:80]!r}") from error
        yield digest, safe_path(os.path.normpath(parts[1].lstrip("*")), name)


def decoded(path: str) -> str:
    """Return a path of a manifest without the encoding of RFC 8493."""
    return re.sub(r"%(25|0[AaDd])", lambda found: chr(int(found[1], 16)), path)


def safe_path(path: str, where: str) -> str:
    """Return a path within a package; raise BadPackage if it leads anywhere else."""
    steps = path.split("/")
    if path.startswith(("/", "~")) or ".." in steps or "\0" in path or re.match(r"[A-Za-z]:|\\", path):
        raise BadPackage(f"{where} has a path that leads out of the package: {path!r}")
    return path


def manifest_algorithm(name: str) -> tuple[str, bool] | None:
    """Return the algorithm of a manifest by its file name, and whether it is about tag files; None if it is none."""
    found = _MANIFEST.fullmatch(name)
    algorithm = found[2] if found else ""
    return (algorithm, bool(found and found[1])) if algorithm in ALGORITHMS else None


def digest_of(algorithm: str, content: bytes) -> str:
    """Return a digest in hexadecimal."""
    return hashlib.new(algorithm, content, usedforsecurity=False).hexdigest()


def tags_text(tags: Iterable[tuple[str, str]]) -> str:
    """Return tags as a tag file has them; line ends in values become spaces."""
    return "".join(f"{name}: {' '.join(value.split())}\n" for name, value in tags)


def tags_of(data: bytes, encoding: str, name: str) -> dict[str, str]:
    """Return the tags of a tag file, of several with one name the first; raise BadPackage if a line is none."""
    found: list[list[str]] = []
    for line in _text(data, encoding, name).splitlines():
        if not line or line.isspace():
            continue
        if line[0].isspace() and found:
            found[-1][1] += line
            continue
        tag, colon, value = line.partition(":")
        if not colon:
            raise BadPackage(f"{name} has a line that is no tag: {line.strip()!r}")
        found.append([tag.strip(), value])
    tags: dict[str, str] = {}
    for tag, value in found:
        tags.setdefault(tag, value.strip())
    return tags


def declared(data: bytes) -> tuple[tuple[int, int], str]:
    """Return the version and the encoding of tag files that ``bagit.txt`` declares.

    Raises BadPackage if it does not, or they are none that can be read.
    """
    if data.startswith(codecs.BOM_UTF8):
        raise BadPackage(f"{DECLARATION} begins with a byte order mark, which it must not")
    tags = tags_of(data, "utf-8", DECLARATION)
    version, encoding = tags.get("BagIt-Version"), tags.get("Tag-File-Character-Encoding")
    if version is None or encoding is None:
        raise BadPackage(f"{DECLARATION} does not tell the version or the encoding")
    major, dot, minor = version.partition(".")
    if not (major.isdecimal() and minor.isdecimal() and dot) or len(version) > _LONGEST_VERSION:
        raise BadPackage(f"the version {version[:_LONGEST_VERSION]!r} is none")
    if not (0, 93) <= (int(major), int(minor)) < (2, 0):
        raise BadPackage(f"version {version} of BagIt is not known")
    try:
        text_encoding(encoding)
    except ValueError as error:
        raise BadPackage(str(error)) from error
    return (int(major), int(minor)), encoding


def oxum(info: dict[str, str]) -> tuple[int, int] | None:
    """Return how many bytes and files the payload is said to have; None if nothing is said.

    Raises BadPackage if what is said is no such numbers.
    """
    text = info.get("Payload-Oxum")
    if text is None:
        return None
    found = _OXUM.fullmatch(text)
    if found is None:
        raise BadPackage(f"Payload-Oxum {text!r} is not two numbers")
    return int(found[1]), int(found[2])


def fetch_entries(lines: Iterable[str]) -> Iterator[tuple[str, str]]:
    """Yield the path of each file that ``fetch.txt`` says lies elsewhere, and its address.

    Raises BadPackage if a line is none, or names no address or a path that leads out.
    """
    for line in lines:
        parts = line.split(None, 2)
        if len(parts) != 3:
            raise BadPackage(f"{FETCH} has a line that is none: {line.strip()[:80]!r}")
        try:
            address = urlparse(parts[0])
        except ValueError as error:
            raise BadPackage(f"{FETCH} names no address: {parts[0][:80]!r}") from error
        if address.scheme != "file" and not (address.scheme and address.netloc):
            raise BadPackage(f"{FETCH} names no address: {parts[0][:80]!r}")
        yield safe_path(decoded(parts[2].strip()), FETCH), parts[0]


def _text(data: bytes, encoding: str, name: str) -> str:
    try:
        return data.decode(encoding).removeprefix("\ufeff")
    except (ValueError, LookupError) as error:
        raise BadPackage(f"{name} is not in {encoding}: {error}") from error


def name_in_listing(path: bytes) -> str:
    """Return a relative path as the listing has it: what is not plain is percent-encoded, byte by byte."""
    return quote_from_bytes(path, safe="/")


def path_in_listing(text: str) -> bytes:
    """Return the relative path that a listing has; raise BadPackage if it leads anywhere else."""
    path = unquote_to_bytes(text)
    steps = path.split(b"/")
    if not path or b"\0" in path or any(step in (b"", b".", b"..") for step in steps):
        raise BadPackage(f"{LISTING} has a path that leads out of the package: {text!r}")
    return path
