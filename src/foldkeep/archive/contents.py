"""What is in a package, or in the parts of one, looked through before it is brought back."""

import os
import time
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass, field

from foldkeep.formats.packages import (
    BadPackage,
    Form,
    Listed,
    Listing,
    ListingHead,
    Named,
    Names,
    Package,
    bagit,
    listed,
)
from foldkeep.model import PathBytes, Problem, visible
from foldkeep.scan.packages import missing_files, read_manifests

_LINE = "listing"
_FORMS = tuple(Form)
_MOST_PIECES = 100_000


@dataclass
class Contents:
    """Contents of one package.

    Attributes
    ----------
    head
        What its listing says of it; None of a bag that others made, of which only the files are known.
    missing
        Files that its manifests name, and that are not there.
    """

    package: Package
    head: ListingHead | None
    missing: list[Problem]
    _listing: Iterable[tuple[str, Listed]]

    @classmethod
    def of(cls, package: Package) -> "Contents":
        """Read the manifests and the listing of a package.

        Raises BadPackage if they contradict themselves or each other.
        """
        encoding = read_manifests(package)
        missing = list(missing_files(package))
        if bagit.LISTING not in package.names:
            return cls(package, None, missing, _Files(package))
        _check_listing(package)
        listing = Listing(lambda: package.lines(bagit.LISTING, encoding))
        return cls(package, listing.head, missing, listing)

    @property
    def name(self) -> PathBytes:
        """What the project is called."""
        if self.head is None:
            return os.path.basename(self.package.path.rstrip(b"/")).partition(b".")[0] or b"package"
        return os.path.basename(self.head.project) or b"project"

    def __iter__(self) -> Iterator[Listed]:
        return (entry for _, entry in self._listing)

    def lines(self) -> Iterator[tuple[str, Listed]]:
        """Yield every entry with its line in the listing; empty without one."""
        return iter(self._listing)

    def entry(self, named: Named) -> Listed | None:
        """Return the entry of a file of the package; None of one that is no payload."""
        if not bagit.is_payload(named.path):
            return None
        line = self.package.names.noted(_LINE, named.path)
        return listed(line) if line else _plain(named)


def _plain(named: Named) -> Listed:
    """Return the entry of a file that no listing tells of."""
    path = os.fsencode(named.path.partition("/")[2])
    return Listed(Form.FILE, path, 0o644, time.time_ns(), named.path, named.size)


class _Files:
    """The files of a bag that has no listing."""

    def __init__(self, package: Package) -> None:
        self._names = package.names

    def __iter__(self) -> Iterator[tuple[str, Listed]]:
        return (("", _plain(named)) for named in self._names.below(bagit.PAYLOAD))


def _check_listing(package: Package) -> None:
    """Compare the listing with its manifests, since it tells where everything goes."""
    import hashlib

    said = package.names.said(bagit.LISTING)
    hashers = {algorithm: hashlib.new(algorithm, usedforsecurity=False) for algorithm in said}
    with package.opened(bagit.LISTING) as stream:
        while data := stream.read(1024 * 1024):
            for hasher in hashers.values():
                hasher.update(data)
    if not said or any(hasher.hexdigest() != said[algorithm] for algorithm, hasher in hashers.items()):
        raise BadPackage(f"{bagit.LISTING} is not what its manifest says")


@dataclass
class Whole:
    """All that is to be brought back: of one package, or of the parts of one.

    Attributes
    ----------
    parts
        The packages, in the order of their parts.
    lacking
        Numbers of the parts that are not among them.
    files, bytes, room
        Of all: how many files, the sum of their sizes, and what they take on a disk that can have holes.
    pieces
        Starts and sizes of the pieces of each file that is in pieces, by its path.
    """

    parts: list[Contents]
    names: Names
    lacking: list[int] = field(default_factory=list)
    files: int = 0
    bytes: int = 0
    room: int = 0
    pieces: dict[PathBytes, list[Listed]] = field(default_factory=dict)

    @classmethod
    def of(cls, parts: Sequence[Contents], names: Names) -> "Whole":
        """Put the parts of a package together, and look whether they fit.

        Raises BadPackage if they are not of one package, have a path twice or one that leads out, or a listing and
        the payload beside it are not about the same files.
        """
        whole = cls(_in_order(parts), names)
        first = whole.parts[0].head
        if first and first.parts:
            there = {part.head.part for part in whole.parts if part.head}
            whole.lacking = [number for number in range(1, len(first.parts) + 1) if number not in there]
        for part in whole.parts:
            whole._add(part)
        names.check_shape()
        whole._check_pieces()
        for part in whole.parts:
            for entry in part:
                if entry.form is Form.SAME and not whole._is_file(entry, entry.target):
                    if whole.lacking:
                        continue
                    raise BadPackage(f"{bagit.LISTING} has another name of a file that is not there: {entry.path!r}")
        return whole

    def _add(self, part: Contents) -> None:
        names, count = part.package.names, 0
        for line, entry in part.lines():
            self._place(entry)
            if not entry.is_content:
                continue
            count += 1
            there = names.named(entry.payload)
            if there is None or there.size != entry.size or not bagit.is_payload(entry.payload):
                raise _not_about_the_same()
            if line:
                names.note(_LINE, entry.payload, line)
            self.bytes += entry.size
            self.room += entry.room
        if count != names.totals(bagit.PAYLOAD)[0]:
            raise _not_about_the_same()

    def _place(self, entry: Listed) -> None:
        """Note where an entry goes; raise BadPackage if something else goes there."""
        where = _where(entry)
        if entry.form is Form.FOLDER:
            self.names.add_folder(where)
        elif entry.form is Form.PIECE and entry.path in self.pieces:
            self.pieces[entry.path].append(entry)
            if sum(map(len, self.pieces.values())) > _MOST_PIECES:
                raise BadPackage(f"it has more than {_MOST_PIECES:,} pieces of files")
        elif entry.form is Form.LINK and len(self.parts) > 1 and where in self.names:
            pass  # every part tells of every link
        else:
            self.names.add_file(where, entry.size, _FORMS.index(entry.form))
            self.files += entry.is_content
            if entry.form is Form.PIECE:
                self.pieces[entry.path] = [entry]

    def _is_file(self, entry: Listed, target: PathBytes) -> bool:
        named = self.names.named(_tree(entry.is_outside) + os.fsdecode(target))
        return named is not None and _FORMS[named.start] in (Form.FILE, Form.PIECE)

    def _check_pieces(self) -> None:
        """Raise BadPackage if pieces lie over each other, are of several files, or, with all parts, leave a gap."""
        for path, pieces in self.pieces.items():
            at = 0
            for piece in sorted(pieces, key=lambda piece: piece.start):
                alike = (piece.whole_size, piece.whole_digest) == (pieces[0].whole_size, pieces[0].whole_digest)
                if not alike or piece.start < at or (piece.start > at and not self.lacking):
                    raise BadPackage(f"the pieces of {visible(path)} do not fit together")
                at = piece.start + piece.size
            if at != pieces[0].whole_size and not self.lacking:
                raise BadPackage(f"the pieces of {visible(path)} are not all of it")

    def is_cut(self, path: PathBytes) -> bool:
        """Tell whether a file lacks pieces, which are in a part that is not here."""
        pieces = self.pieces.get(path, [])
        return bool(pieces) and sum(piece.size for piece in pieces) != pieces[0].whole_size

    @property
    def head(self) -> ListingHead | None:
        """What the listing says."""
        return self.parts[0].head

    @property
    def missing(self) -> list[Problem]:
        """Files that manifests name, and that are not there."""
        return [problem for part in self.parts for problem in part.missing]

    def __iter__(self) -> Iterator[Listed]:
        for part in self.parts:
            yield from part


def _in_order(parts: Sequence[Contents]) -> list[Contents]:
    """Return packages in the order of their parts; raise BadPackage if several are not the parts of one."""
    if len(parts) == 1:
        return list(parts)
    heads = [part.head for part in parts]
    sets = {head.parts if head else () for head in heads}
    numbers = [head.part for head in heads if head]
    if len(sets) != 1 or () in sets or len(set(numbers)) != len(parts):
        raise BadPackage("they are not parts of one package")
    return sorted(parts, key=lambda part: part.head.part if part.head else 0)


def _not_about_the_same() -> BadPackage:
    return BadPackage(f"{bagit.LISTING} and the payload are not about the same files")


def _tree(is_outside: bool) -> str:
    return "outside/" if is_outside else "inside/"


def _where(entry: Listed) -> str:
    return _tree(entry.is_outside) + os.fsdecode(entry.path)
