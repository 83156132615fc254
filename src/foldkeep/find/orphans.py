"""What a catalogue has lost track of, and what is left over on the disk."""

from collections import defaultdict
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field, replace
from enum import StrEnum

from foldkeep.model import CatalogEntry, Filter, StockFile, sidecar_stems
from foldkeep.scan import MEDIA
from foldkeep.stock import Stock

from .catalogs import Known, folders_of


class Standing(StrEnum):
    """How a file that a catalogue does not know stands to those that it knows."""

    SOLE = "only here"  # its content is nowhere else in the stock
    ELSEWHERE = "also elsewhere"  # a copy of it is in the stock, which the catalogue does not know either
    ALIKE = "same name"  # the catalogue knows a file of this name with another content
    COPY = "a copy"  # of a file that the catalogue knows


@dataclass(frozen=True, slots=True)
class Unknown:
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


@dataclass(frozen=True, slots=True)
class Missing:
    """An entry whose file is not there.

    Attributes
    ----------
    path
        Where it should be; None if that is no path of this machine.
    now
        Where the same content lies, or else the one file of its name.
    by_content
        Whether `now` was found by content.
    run
        The run in whose fold the file waits, or None.
    """

    entry: CatalogEntry
    path: bytes | None
    now: bytes | None = None
    by_content: bool = False
    run: int | None = None


@dataclass(frozen=True, slots=True)
class LeftOver:
    """A sidecar whose master is gone; `masters` are files elsewhere that may be it."""

    file: StockFile
    masters: tuple[bytes, ...] = ()


@dataclass(frozen=True, slots=True)
class Twice:
    """Files that a catalogue knows more than once.

    Attributes
    ----------
    entries
        How they are written there.
    paths
        Their files in the order of the catalogue: one if it is one path written in several ways, several if these
        have one content.
    """

    entries: tuple[CatalogEntry, ...]
    paths: tuple[bytes, ...]


@dataclass
class Orphans:
    """The findings.

    Attributes
    ----------
    folders
        The folders that the catalogue is about.
    unknown
        Those whose content is nowhere else come first.
    """

    known: Known
    folders: list[bytes]
    unknown: list[Unknown] = field(default_factory=list)
    missing: list[Missing] = field(default_factory=list)
    left_over: list[LeftOver] = field(default_factory=list)
    twice: list[Twice] = field(default_factory=list)


def orphans(stock: Stock, known: Known, wanted: Filter | None = None) -> Orphans:
    """Compare what a catalogue knows with what is on the disk, as the last scan saw it.

    Parameters
    ----------
    wanted
        Which files are looked at; without folders of its own, those below the catalogue's.
    """
    wanted = wanted or Filter()
    folders = list(wanted.under) or folders_of(stock, known)
    found = Orphans(known, folders)
    everything = list(stock.listing.files(Filter()))
    index = _Index(everything, known)
    below = replace(wanted, under=tuple(folders))
    for file in everything:
        if file.path in known.files or not below.takes(file):
            continue
        if file.kind in MEDIA:
            found.unknown.append(_unknown(file, index))
        elif file.kind == "sidecar" and not stock.files.masters(file.path):
            found.left_over.append(LeftOver(file, index.masters(file.path)))
    order = {standing: number for number, standing in enumerate(Standing)}
    found.unknown.sort(key=lambda each: (order[each.standing], each.file.path))
    found.missing = [_missing(stock, index, entry, path) for entry, path in known.missing]
    found.twice = list(_twice(index, known))
    return found


class _Index:
    """The files of the stock by content, name and stem."""

    def __init__(self, files: Sequence[StockFile], known: Known) -> None:
        self.by_path = {file.path: file for file in files if file.path in known.files}
        self.of_digest: dict[bytes, list[StockFile]] = defaultdict(list)
        self.known_digests: dict[bytes, StockFile] = {}
        self.known_names: dict[bytes, StockFile] = {}
        self.names: dict[bytes, list[bytes]] = defaultdict(list)
        self.stems: dict[bytes, list[bytes]] = defaultdict(list)
        for file in files:
            name = file.path.rpartition(b"/")[2].lower()
            self.names[name].append(file.path)
            if file.kind != "sidecar":
                self.stems[name.rpartition(b".")[0] or name].append(file.path)
            if file.digest:
                self.of_digest[file.digest].append(file)
            if file.path in known.files:
                self.known_names.setdefault(name, file)
                if file.digest:
                    self.known_digests.setdefault(file.digest, file)

    def masters(self, sidecar: bytes) -> tuple[bytes, ...]:
        """Return files elsewhere that a sidecar may belong to."""
        name = sidecar.rpartition(b"/")[2].lower()
        found = [path for stem in sidecar_stems(name) for path in (*self.stems[stem], *self.names[stem])]
        return tuple(dict.fromkeys(found))


def _unknown(file: StockFile, index: _Index) -> Unknown:
    if file.digest and (other := index.known_digests.get(file.digest)):
        return Unknown(file, Standing.COPY, other)
    copies = index.of_digest[file.digest] if file.digest else []
    other = next((copy for copy in copies if copy.identity != file.identity), None)
    if alike := index.known_names.get(file.path.rpartition(b"/")[2].lower()):
        return Unknown(file, Standing.ALIKE, alike, other is None)
    return Unknown(file, Standing.ELSEWHERE if other else Standing.SOLE, other, other is None)


def _missing(stock: Stock, index: _Index, entry: CatalogEntry, path: bytes | None) -> Missing:
    if path is None:
        return Missing(entry, None)
    run = stock.ledger.waiting_from(path)
    digest, size = stock.files.gone(path)
    copies = index.of_digest.get(digest, []) if digest else []
    if copies:
        return Missing(entry, path, copies[0].path, True, run.id if run else None)
    named = index.names.get(path.rpartition(b"/")[2].lower(), [])
    if size is not None:
        named = [other for other in named if (file := stock.listing.at(other)) and file.size == size]
    return Missing(entry, path, named[0] if len(named) == 1 else None, False, run.id if run else None)


def _twice(index: _Index, known: Known) -> Iterable[Twice]:
    by_digest: dict[bytes, list[bytes]] = defaultdict(list)
    for path, entries in known.files.items():
        if len(entries) > 1:
            yield Twice(tuple(entries), (path,))
        file = index.by_path.get(path)
        if file and file.digest:
            by_digest[file.digest].append(path)
    for paths in by_digest.values():
        if len(paths) > 1:
            yield Twice(tuple(known.files[path][0] for path in paths), tuple(paths))
