"""What a catalogue has lost track of, and what is left over on the disk."""

import os
import unicodedata
from collections import defaultdict
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from enum import StrEnum
from itertools import chain
from typing import Literal, NamedTuple

from foldkeep.model import Filter, Progress, StockFile, no_progress
from foldkeep.model.catalogs import CatalogEntry
from foldkeep.model.companions import are_a_pair, sidecar_stems, stem_of
from foldkeep.model.copy_names import plain_stem
from foldkeep.model.names import lies_below
from foldkeep.model.previews import preview_of
from foldkeep.model.work import told
from foldkeep.scan import StaleThumbnail, stale_thumbnails
from foldkeep.signals import MEDIA
from foldkeep.stock import Stock

from .catalog_files import Known, folders_of


class Standing(StrEnum):
    """Relations of a file that a catalogue does not know to those that it knows."""

    SOLE = "only here"  # its content is nowhere else in the stock
    ELSEWHERE = "also elsewhere"  # a copy of it is in the stock, which the catalogue does not know either
    ALIKE = "same name"  # the catalogue knows a file of this name, or nearly, with another content
    COPY = "a copy"  # of a file that the catalogue knows


class Unknown(NamedTuple):
    """A file under the catalogue's folders that it does not know.

    Attributes
    ----------
    other
        The file that it equals, or whose name it has.
    is_sole
        Whether its content is nowhere else in the stock; a file with a known name may well be such a one.
    """

    file: StockFile
    standing: Standing
    other: StockFile | None = None
    is_sole: bool = False


class Missing(NamedTuple):
    """An entry whose file is not there.

    Attributes
    ----------
    path
        Where it should be; None if that is no path of this machine.
    now
        Where the same content lies, or else the one file of its name.
    size
        Its size when it was last seen; None if it never was.
    by_content
        Whether `now` was found by content.
    run
        The run in whose fold the file waits, or None.
    also
        Where the same content lies besides, or the other files of that name if none of them is the one.
    """

    entry: CatalogEntry
    path: bytes | None
    now: bytes | None = None
    by_content: bool = False
    run: int | None = None
    size: int | None = None
    also: tuple[bytes, ...] = ()


class LeftOver(NamedTuple):
    """A sidecar or preview whose master is gone; `masters` are files elsewhere that may be it."""

    file: StockFile
    masters: tuple[bytes, ...] = ()


class Twice(NamedTuple):
    """Files that a catalogue knows more than once.

    Attributes
    ----------
    entries
        How they are written there.
    files
        In the order of the catalogue: one if it is one path written in several ways, several if these have one content.
    """

    entries: tuple[CatalogEntry, ...]
    files: tuple[StockFile, ...]

    @property
    def bytes(self) -> int:
        """What the copies take beyond the first; hard links take nothing."""
        return self.files[0].size * (len({file.identity for file in self.files}) - 1)


@dataclass
class Orphans:
    """The findings.

    Attributes
    ----------
    folders
        The folders that the catalogue is about.
    unknown
        Those whose content is nowhere else come first.
    thumbnails
        Thumbnails that desktops share, of files that are gone or changed.
    """

    known: Known
    folders: list[bytes]
    unknown: list[Unknown] = field(default_factory=list)
    missing: list[Missing] = field(default_factory=list)
    left_over: list[LeftOver] = field(default_factory=list)
    thumbnails: list[StaleThumbnail] = field(default_factory=list)
    twice: list[Twice] = field(default_factory=list)


def orphans(
    stock: Stock,
    known: Known,
    wanted: Filter | None = None,
    thumbnails: bytes = b"",
    progress: Progress = no_progress,
) -> Orphans:
    """Compare what catalogues know with what is on the disk, as the last scan saw it.

    Without a catalogue only what is left over beside files that are gone can be told.

    Parameters
    ----------
    wanted
        Which files are looked at; without folders of its own, those below the catalogue's.
    thumbnails
        The folder where the user's desktop keeps thumbnails; empty not to look there.
    """
    wanted = wanted or Filter()
    folders = list(wanted.under) or _folders_asked(stock, known)
    found = Orphans(known, folders)
    look = _Look(stock, known, wanted._replace(under=tuple(folders)), progress)
    index = _Index(stock, look, known, progress)
    for file in look.unknown:
        shown = look.previews.get(file.path, ())
        if not index.shown.isdisjoint(shown):
            continue
        masters = index.shown_elsewhere(shown)
        # A mark in a name alone says nothing while no file is, or was, called so: scrollbar_thumb.png is a picture.
        if masters or any(folder != os.path.dirname(file.path) for folder, _ in shown):
            found.left_over.append(LeftOver(file, masters))
        elif file.kind in MEDIA:
            if known.names and not index.is_partner(file.path):
                found.unknown.append(_unknown(file, index))
        elif file.kind == "sidecar" and not stock.listing.masters(file.path):
            found.left_over.append(LeftOver(file, index.masters(file.path)))
    order = {standing: number for number, standing in enumerate(Standing)}
    found.unknown.sort(key=lambda each: (order[each.standing], each.file.path))
    found.missing = [_missing(stock, index, entry, path, look.gone) for entry, path in known.missing]
    found.twice = list(_twice(stock, look.digests, known))
    if thumbnails and (not wanted.kinds or "photo" in wanted.kinds):
        here = [folder for folder in folders if os.path.isdir(folder)]
        inside = {each for each in look.folders if any(each == top or lies_below(each, top) for top in here)}
        found.thumbnails = list(stale_thumbnails(thumbnails, here, sorted(inside)))
    return found


def _folders_asked(stock: Stock, known: Known) -> list[bytes]:
    return folders_of(stock, known) if known.names else [place.path for place in stock.places.all()]


class _Look:
    """A first look at all files: few of them are unknown, and what those ask for decides what else is of interest.

    Attributes
    ----------
    unknown
        Files that are looked at and that no catalogue knows, in order of path.
    previews
        Paths of previews, with the folders and stems of what they may show.
    digests
        Of the files that catalogues know, by path, as far as they were read.
    folders
        Those that have files.
    gone
        Digests and sizes of what missing entries named, by path, as a scan saw them; None where none did.
    """

    def __init__(self, stock: Stock, known: Known, wanted: Filter, progress: Progress) -> None:
        self.unknown: list[StockFile] = []
        self.previews: dict[bytes, list[tuple[bytes, bytes]]] = {}
        self.digests: dict[bytes, bytes] = {}
        self.folders: set[bytes] = set()
        files = stock.listing.files(Filter())
        for file in told(files, "Comparing with catalogues", None, "files", progress):
            path = file.path
            self.folders.add(path.rpartition(b"/")[0])
            if file.kind == "photo" and (of := preview_of(path)):
                self.previews[path] = of
            if path not in known.files:
                if wanted.takes(file):
                    self.unknown.append(file)
            elif file.digest:
                self.digests[path] = file.digest
        self.gone = {path: _gone(stock, path) for _, path in known.missing if path is not None}


class _Index:
    """What the unknown, the missing and the left-over files ask for, of all files: by content, name and stem."""

    def __init__(self, stock: Stock, look: _Look, known: Known, progress: Progress) -> None:
        self._previews = look.previews
        self.of_digest: dict[bytes, list[StockFile]] = {}
        self.known_digests: dict[bytes, StockFile] = {}
        self.names: dict[bytes, list[bytes]] = defaultdict(list)
        self.shown: set[tuple[bytes, bytes]] = set()
        self._stems: dict[bytes, list[bytes]] = defaultdict(list)
        self._known_names: dict[bytes, StockFile] = {}
        self._known_stems: dict[str, StockFile] = {}
        self._known_beside: dict[bytes, list[bytes]] = defaultdict(list)
        if look.unknown or known.missing:
            self._note(stock, look, known, progress)

    def _note(self, stock: Stock, look: _Look, known: Known, progress: Progress) -> None:
        digests = {file.digest for file in look.unknown} | {digest for digest, _ in look.gone.values()}
        shown = {each for of in look.previews.values() for each in of}
        unknown = {_name(file.path) for file in look.unknown}
        plain = set(map(plain_stem, unknown))
        folders = {file.path.rpartition(b"/")[0] for file in look.unknown}
        words = {stem for _, stem in shown} | set(map(_composed_name, look.gone))
        words.update(*(sidecar_stems(_name(file.path)) for file in look.unknown if file.kind == "sidecar"))
        same: dict[bytes, list[bytes]] = defaultdict(list)
        of_digest: dict[bytes, bytes] = {}
        of_name: dict[bytes, bytes] = {}
        of_stem: dict[str, bytes] = {}
        files = stock.listing.named_contents()
        for path, kind, digest in told(files, "Looking for files like them", None, "files", progress):
            folder, _, own = path.rpartition(b"/")
            name = own.lower()
            is_known = path in known.files
            if digest in digests and digest:
                same[digest].append(path)
                if is_known:
                    of_digest.setdefault(digest, path)
            if words:
                if (composed := name if name.isascii() else _in_form("NFC", own).lower()) in words:
                    self.names[composed].append(path)
                if kind != "sidecar" and (stem := stem_of(name)) in words:
                    self._stems[stem].append(path)
            if shown and kind in MEDIA and path not in self._previews:
                self.shown |= shown & {(folder, stem_of(name)), (folder, name)}
            if is_known:
                if name in unknown:
                    of_name.setdefault(name, path)
                if (stem_alone := plain_stem(name)) in plain:
                    of_stem.setdefault(stem_alone, path)
                if folder in folders:
                    self._known_beside[_beside(path)].append(path)
        paths = chain(chain.from_iterable(same.values()), of_digest.values(), of_name.values(), of_stem.values())
        at = stock.listing.at_all(paths)
        self.of_digest = {digest: [at[path] for path in paths] for digest, paths in same.items()}
        self.known_digests = {digest: at[path] for digest, path in of_digest.items()}
        self._known_names = {name: at[path] for name, path in of_name.items()}
        self._known_stems = {stem: at[path] for stem, path in of_stem.items()}

    def is_partner(self, path: bytes) -> bool:
        """Tell whether a file is the raw file, or the JPEG, of one beside it that the catalogue knows."""
        name = path.rpartition(b"/")[2]
        others = self._known_beside.get(_beside(path), ())
        return any(are_a_pair(name, other.rpartition(b"/")[2]) for other in others)

    def masters(self, sidecar: bytes) -> tuple[bytes, ...]:
        """Return files elsewhere that a sidecar may belong to."""
        return tuple(dict.fromkeys(self._called(sidecar_stems(_name(sidecar)))))

    def shown_elsewhere(self, places: Sequence[tuple[bytes, bytes]]) -> tuple[bytes, ...]:
        """Return files elsewhere that a preview may show."""
        found = dict.fromkeys(self._called([stem for _, stem in places]))
        return tuple(path for path in found if path not in self._previews)

    def _called(self, words: Sequence[bytes]) -> Iterator[bytes]:
        """Yield the paths that have one of some words as stem or name."""
        for word in words:
            yield from self._stems.get(word, ())
            yield from self.names.get(word, ())

    def alike(self, path: bytes) -> StockFile | None:
        """Return a file that the catalogue knows of the same name, or of one that differs by marks of a copy."""
        name = _name(path)
        return self._known_names.get(name) or self._known_stems.get(plain_stem(name))


def _name(path: bytes) -> bytes:
    """Return the name of a file in lower case."""
    return path.rpartition(b"/")[2].lower()


def _composed_name(path: bytes) -> bytes:
    """Return the name of a file as `_name` does, composed: programs write one name in two forms of Unicode."""
    return _in_form("NFC", path.rpartition(b"/")[2]).lower()


def _in_form(form: Literal["NFC", "NFD"], path: bytes) -> bytes:
    return unicodedata.normalize(form, path.decode("utf-8", "surrogateescape")).encode("utf-8", "surrogateescape")


def _gone(stock: Stock, path: bytes) -> tuple[bytes | None, int | None]:
    """Return the digest and size of what a missing entry named, in whichever form of Unicode a scan saw its path."""
    found: tuple[bytes | None, int | None] = (None, None)
    for written in dict.fromkeys((path, _in_form("NFC", path), _in_form("NFD", path))):
        if (found := stock.moves.gone(written))[1] is not None:
            break
    return found


def _beside(path: bytes) -> bytes:
    """Return a path without its suffix, of the name in lower case: what a raw file and its JPEG have in common."""
    folder, slash, name = path.rpartition(b"/")
    return folder + slash + stem_of(name.lower())


def _unknown(file: StockFile, index: _Index) -> Unknown:
    if file.digest and (other := index.known_digests.get(file.digest)):
        return Unknown(file, Standing.COPY, other)
    copies = index.of_digest.get(file.digest, ()) if file.digest else ()
    other = next((copy for copy in copies if copy.identity != file.identity), None)
    if alike := index.alike(file.path):
        return Unknown(file, Standing.ALIKE, alike, other is None)
    return Unknown(file, Standing.ELSEWHERE if other else Standing.SOLE, other, other is None)


def _missing(
    stock: Stock,
    index: _Index,
    entry: CatalogEntry,
    path: bytes | None,
    gone: Mapping[bytes, tuple[bytes | None, int | None]],
) -> Missing:
    if path is None:
        return Missing(entry, None)
    run = stock.ledger.waiting_from(path)
    digest, size = gone[path]
    copies = index.of_digest.get(digest, []) if digest else []
    if copies:
        paths = tuple(copy.path for copy in copies)
        return Missing(entry, path, paths[0], True, run.id if run else None, size, paths[1:])
    named = index.names.get(_composed_name(path), [])
    if size is not None:
        named = [other for other in named if (file := stock.listing.at(other)) and file.size == size]
    found = named[0] if len(named) == 1 else None
    also = () if found else tuple(named)
    return Missing(entry, path, found, False, run.id if run else None, size, also)


def _twice(stock: Stock, digests: Mapping[bytes, bytes], known: Known) -> Iterable[Twice]:
    several = [path for path, entries in known.files.items() if len(entries) > 1]
    by_digest: dict[bytes, list[bytes]] = defaultdict(list)
    for path in known.files if len(digests) > len(set(digests.values())) else ():
        if digest := digests.get(path):
            by_digest[digest].append(path)
    same = [paths for paths in by_digest.values() if len(paths) > 1]
    at = stock.listing.at_all([*several, *chain.from_iterable(same)])
    for path in several:
        yield Twice(tuple(known.files[path]), (at[path],))
    for paths in same:
        yield Twice(tuple(known.files[path][0] for path in paths), tuple(at[path] for path in paths))
