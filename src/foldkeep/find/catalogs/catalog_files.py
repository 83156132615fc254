"""Which files of the stock a catalogue means, however their paths are written there."""

import os
import re
import unicodedata
from collections import Counter, defaultdict
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass, field
from urllib.parse import unquote_to_bytes, urlsplit

from foldkeep.formats.catalogs import read_catalog
from foldkeep.formats.sidecars import Xmp, united
from foldkeep.model import Progress, UnusableInput, no_progress, visible
from foldkeep.model.catalogs import Catalog, CatalogEntry
from foldkeep.model.names import common_folder, lies_below, steps_alike
from foldkeep.model.work import told
from foldkeep.stock import Stock

RootMap = tuple[str, str]
"""How the paths of another machine begin, and how the same ones begin here."""

_DRIVE = re.compile(r"[A-Za-z]:[\\/]")
_URL = re.compile(r"[A-Za-z][A-Za-z0-9+.-]+:")
_SAMPLE = 300
_MOST_STARS = 5


@dataclass
class Known:
    """Files in the stock that catalogues know.

    Attributes
    ----------
    names
        What the catalogues are called.
    files
        The paths of files that they know, each with its entries.
    missing
        Entries without a file, each with the path that is meant; None where that is not one of this machine.
    streams
        How many entries name something on a network.
    advice
        What most likely keeps entries from being matched; empty if all were.
    """

    names: list[str] = field(default_factory=list)
    files: dict[bytes, list[CatalogEntry]] = field(default_factory=dict)
    missing: list[tuple[CatalogEntry, bytes | None]] = field(default_factory=list)
    streams: int = 0
    advice: str = ""

    @property
    def entries(self) -> int:
        """How many entries there are in all."""
        return sum(map(len, self.files.values())) + len(self.missing) + self.streams


def known_files(stock: Stock, catalogs: Iterable[Catalog], progress: Progress = no_progress) -> Known:
    """Match the entries of catalogues with the files of the stock.

    Letter case counts unless a catalogue's is to be ignored, or its volume ignores it.

    Raises
    ------
    UnusableInput
        If a catalogue cannot be read, has no entries, or matches nothing that a scan ever saw: then it is far likelier
        that its paths are wrong than that every file is an orphan.
    """
    paths = StockPaths(stock.listing.paths())
    known = Known()
    for catalog in catalogs:
        known.names.append(catalog.name)
        before, matched = known.entries, sum(map(len, known.files.values()))
        for source in catalog.sources:
            base = os.path.dirname(os.fsencode(source.path))
            for entry in told(read_catalog(source), "Reading catalogues", None, "entries", progress):
                _match(known, paths, entry, base, catalog)
        if known.entries == before:
            raise UnusableInput(
                f"the catalogue {visible(catalog.name)} names no file",
                "name another, or say with --field where its paths are",
            )
        if known.missing:
            known.advice = _advice(known, paths)
        if sum(map(len, known.files.values())) == matched and not _seen(stock, known):
            raise UnusableInput(
                f"nothing that the catalogue {visible(catalog.name)} names is in the stock",
                known.advice or "scan the folders that it is about first",
            )
    return known


def _seen(stock: Stock, known: Known) -> list[bytes]:
    """Return the paths of missing entries where a scan saw a file that is gone now."""
    return [path for _, path in known.missing if path is not None and stock.moves.gone(path)[1] is not None]


def uses(stock: Stock, catalogs: Iterable[Catalog]) -> dict[bytes, frozenset[str]]:
    """Return the files that catalogues use, by path, with the names of those that do.

    Raises UnusableInput as `known_files`: what cannot be read may use anything.
    """
    found: dict[bytes, frozenset[str]] = {}
    for known in _readable(stock, catalogs):
        for path in known.files:
            found[path] = found.get(path, frozenset()).union(known.names)
    return found


def _readable(stock: Stock, catalogs: Iterable[Catalog]) -> Iterator[Known]:
    for catalog in catalogs:
        try:
            yield known_files(stock, [catalog])
        except UnusableInput as error:
            raise UnusableInput(
                str(error), f"or forget it, so that its files may go: foldkeep catalog forget {visible(catalog.name)}"
            ) from error


def descriptions(stock: Stock, catalogs: Iterable[Catalog]) -> dict[bytes, Xmp]:
    """Return what catalogues say of files, by path; what two of them say differently, as the first does.

    Raises UnusableInput as `uses`: what cannot be read may say anything.
    """
    found: dict[bytes, Xmp] = {}
    for known in _readable(stock, catalogs):
        for path, entries in known.files.items():
            for entry in entries:
                words = Xmp(
                    tuple(filter(None, map(_clean, entry.keywords))),
                    entry.rating if entry.rating is not None and -1 <= entry.rating <= _MOST_STARS else None,
                    _clean(entry.title or "") or None,
                    _clean(entry.description or "") or None,
                )
                if words.facts:
                    found[path], _ = united(found.get(path, Xmp()), [(path, words)])
    return found


def _clean(text: str) -> str:
    """Return a text without what XML cannot hold."""
    return "".join(mark for mark in text if mark.isprintable() or mark in "\n\t").strip()


def _match(known: Known, paths: "StockPaths", entry: CatalogEntry, base: bytes, catalog: Catalog) -> None:
    if entry.by_name:
        found = paths.named(entry.text)
        for path in found:
            known.files.setdefault(path, []).append(entry)
        if not found:
            known.missing.append((entry, None))
        return
    text = local_path(entry.text, catalog.root_maps)
    if text is None:
        known.streams += 1
        return
    written = os.fsencode(text)
    if written in paths:  # nearly every one
        known.files.setdefault(written, []).append(entry)
        return
    meant = [os.path.normpath(os.path.join(base, path)) for path in spellings(text)]
    match = next((path for path in meant if path in paths), None)
    if match is None:
        match = next((other for path in meant if (other := paths.like(path, catalog.ignore_case))), None)
    if match is not None:
        known.files.setdefault(match, []).append(entry)
    else:
        known.missing.append((entry, None if _DRIVE.match(text) else meant[0]))


def local_path(text: str, root_maps: Sequence[RootMap] = ()) -> str | None:
    """Return a path with our slashes and roots; None for what is no file at all."""
    found = text if text[:1] == "/" else _with_our_slashes(text)  # as most write it, and it says no drive or host
    if found is None:
        return None
    for old, new in root_maps:
        start = old.replace("\\", "/").rstrip("/")
        same = found.lower().startswith(start.lower()) if _DRIVE.match(start + "/") else found.startswith(start)
        if same and found[len(start) : len(start) + 1] in ("", "/"):
            return new.rstrip("/") + found[len(start) :]
    return found


def _with_our_slashes(text: str) -> str | None:
    if text.startswith("file:///") and "?" not in text and "#" not in text:  # as most URIs are, and in half the time
        text = text[len("file://") :]
        text = os.fsdecode(unquote_to_bytes(text)) if "%" in text else text
        text = text[1:] if _DRIVE.match(text[1:]) else text
    elif text[:5].lower() == "file:":
        try:
            parts = urlsplit(text)
        except ValueError:  # as with file://[x/kite.mov
            return None
        host = f"//{parts.netloc}" if parts.netloc not in ("", "localhost") else ""
        text = host + os.fsdecode(unquote_to_bytes(parts.path))
        text = text[1:] if _DRIVE.match(text[1:]) else text
    elif _URL.match(text) and not _DRIVE.match(text):
        return None
    return text.replace("\\", "/") if _DRIVE.match(text) or ("\\" in text and "/" not in text) else text


def spellings(text: str) -> Iterator[bytes]:
    """Yield what a path may be as bytes: as it is written, percent-decoded, or from an older encoding."""
    yield os.fsencode(text)
    if "%" in text:
        yield unquote_to_bytes(text.encode("utf-8", "surrogateescape"))
    try:
        text.encode()
    except UnicodeEncodeError:
        yield os.fsencode(text).decode("cp1252", "replace").encode()


class StockPaths:
    """The paths of the stock, looked up as they are, or however else they may be spelled."""

    def __init__(self, paths: Iterable[bytes]) -> None:
        self._all = set(paths)
        self._alike: dict[str, list[bytes]] | None = None
        self._named: dict[str, list[bytes]] | None = None

    def __contains__(self, path: bytes) -> bool:
        return path in self._all

    def like(self, path: bytes, ignore_case: bool) -> bytes | None:
        """Return the one path that is the same in another normal form of Unicode, or in other letter case."""
        if self._alike is None:
            self._alike = defaultdict(list)
            for each in self._all:
                self._alike[comparable(each)].append(each)
        found = self._alike.get(comparable(path), [])
        exact = [other for other in found if _composed(other) == _composed(path)]
        if len(exact) == 1:
            return exact[0]
        if len(found) == 1 and (ignore_case or os.path.lexists(path)):
            return found[0]
        return None

    def named(self, name: str) -> list[bytes]:
        """Return the paths of the files of this name, with any suffix if it has none."""
        if self._named is None:
            self._named = defaultdict(list)
            for path in sorted(self._all):
                last = comparable(path.rpartition(b"/")[2])
                self._named[last].append(path)
                stem = last.rpartition(".")[0]
                if stem:
                    self._named[stem].append(path)
        return self._named.get(comparable(os.fsencode(name)), [])


def _composed(path: bytes) -> str:
    return unicodedata.normalize("NFC", path.decode("utf-8", "surrogateescape"))


def comparable(path: bytes) -> str:
    """Return a path or name as text in which neither letter case nor the normal form of Unicode tells."""
    if path.isascii():  # nearly every one, and in a fifth of the time
        return path.decode("ascii").lower()
    return _composed(path).casefold()


def _advice(known: Known, paths: StockPaths) -> str:
    """Return what most likely keeps the missing entries from being matched."""
    votes: Counter[RootMap] = Counter()
    texts = [text for entry, _ in known.missing[:_SAMPLE] if (text := local_path(entry.text))]
    for text in texts:
        candidates = paths.named(text.rpartition("/")[2])
        steps = text.split("/")
        best, common = b"", 0
        for candidate in candidates:
            alike = steps_alike(steps, os.fsdecode(candidate).split("/"))
            if alike > common:
                best, common = candidate, alike
        if common and common < len(steps):
            votes["/".join(steps[:-common]), "/".join(os.fsdecode(best).split("/")[:-common])] += 1
    if not votes:
        return ""
    (old, new), count = votes.most_common(1)[0]
    if count * 2 < len(texts) or old == new:
        return ""
    part = "all" if not known.files else "most of the missing"
    return f"{part} paths begin with {visible(old)}, which is not here: did you mean --root-map '{old}={new}'?"


def folders_of(stock: Stock, known: Known) -> list[bytes]:
    """Return the folders that a catalogue is about: in each place the deepest that has all that it knows there."""
    tops: dict[bytes, bytes] = {}
    places = sorted((place.path for place in stock.places.all()), key=len, reverse=True)
    for folder in {path.rpartition(b"/")[0] or b"/" for path in known.files or _seen(stock, known)}:
        place = next((top for top in places if folder == top or lies_below(folder, top)), None)
        if place is not None:
            tops[place] = common_folder([tops[place], folder]) if place in tops else folder
    return sorted(tops.values())
