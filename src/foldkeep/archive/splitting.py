"""Dividing what goes into a package among several, each of which fits on a medium."""

import os
from collections.abc import Callable, Iterator, Set
from dataclasses import dataclass, field, replace

from foldkeep.formats.packages import Form, bagit
from foldkeep.model import UnusableInput, visible
from foldkeep.model.units import format_size
from foldkeep.storage.local.reading import FILE, Identity, NotSafe, digest_of, opened

from .packing import Packed, Packing

LARGEST_ON_DISC = 2**32 - 2048
"""Bytes of a file that an ISO 9660 image can hold in one extent, in whole sectors."""

_MOST_ON_DISC = 60_000  # names, which are held in memory while an image is read

LEAST_SPLIT = 10_000_000

_PER_PACKAGE = {"iso": 4 * 1024**2}
_PER_FILE = {"iso": 8192, "folder": 4096}
_TEXTS_PER_FILE = 1200  # bytes in manifests and listing, besides the names
_BLOCK = 4096
_LEAST_PIECE = 1024**2


@dataclass
class _Bin:
    """One of the packages that a project is divided among, while they are filled."""

    room: int
    entries: list[Packed] = field(default_factory=list)

    def put(self, entry: Packed, cost: int) -> None:
        self.entries.append(entry)
        self.room -= cost


def split_packing(
    packing: Packing, size: int | None, form: str, told: Callable[[int], None], largest: int = 0
) -> list[Packing]:
    """Divide a packing among packages of at most so many bytes each.

    A file goes into the first that has room for it. One that no package can hold, or no single file on a disc, is cut
    into pieces. Folders and links are told of in each.

    Parameters
    ----------
    size
        Bytes that a medium holds, all that is around the files included; None for no limit.
    largest
        Bytes of the largest file that can be where the packages are made; 0 if that is not limited.
    told
        Is told how many bytes were read of files that have to be cut, to know what they are as a whole.

    Raises
    ------
    UnusableInput
        If that is too little for anything, or a file that has to be cut cannot be read.
    """
    if size is not None and size < LEAST_SPLIT:
        raise UnusableInput(
            f"{format_size(size)} are too little for a part", f"take {format_size(LEAST_SPLIT)} or more"
        )
    common = [entry for entry in packing.entries if entry.listed.form in (Form.FOLDER, Form.LINK)]
    overhead = _PER_PACKAGE.get(form, 1024**2) + sum(_texts(entry) for entry in common) * 2
    room = (2**62 if size is None else size) - overhead
    most = min(room, LARGEST_ON_DISC) if form == "iso" else room
    if largest and form == "folder":
        most = min(most, largest // _BLOCK * _BLOCK)
    elif largest and (size or sum(_cost(entry, form) for entry in packing.files)) > largest:
        raise UnusableInput(
            f"no file there can have more than {format_size(largest)}", "add --split 4GB, or use --format folder"
        )
    if most < _LEAST_PIECE:
        raise UnusableInput(f"{format_size(room + overhead)} are too little for its folders alone", "take larger parts")
    taken = {bagit.same_name(entry.listed.payload) for entry in packing.files}
    bins: list[_Bin] = []
    where: dict[bytes, _Bin] = {}
    for entry in packing.entries:
        if entry.listed.form is Form.SAME:  # beside the file that it is another name of
            where[entry.listed.target].put(entry, _texts(entry))
        elif entry.listed.is_content:
            cost = _cost(entry, form)
            if cost <= most:
                where[entry.listed.path] = _first_with_room(bins, cost, room)
                where[entry.listed.path].put(entry, cost)
                continue
            whole = _whole_digest(entry, told)
            for piece, bin_ in _cut(entry, whole, bins, room, most, form, taken):
                bin_.put(piece, _cost(piece, form))
                where.setdefault(entry.listed.path, bin_)
    bins = bins or [_Bin(room)]
    if form == "iso" and max(len(each.entries) for each in bins) + len(common) > _MOST_ON_DISC:
        raise UnusableInput(
            f"more than {_MOST_ON_DISC:,} names are too many for one image of a disc",
            "take smaller parts with --split, or another --format",
        )
    return [replace(packing, entries=[*common, *each.entries]) for each in bins]


def _first_with_room(bins: list[_Bin], cost: int, room: int) -> _Bin:
    for each in bins:
        if each.room >= cost:
            return each
    bins.append(_Bin(room))
    return bins[-1]


def _texts(entry: Packed) -> int:
    """Return how many bytes manifests, listing and headers have for an entry, at most."""
    listed = entry.listed
    attributes = sum(len(name) * 3 + len(value) * 2 for name, value in listed.attributes)
    names = 3 * len(listed.path) + 12 * len(listed.payload) + 3 * len(listed.target)
    return _TEXTS_PER_FILE + names + 2 * attributes + 24 * len(listed.data or ())


def _cost(entry: Packed, form: str) -> int:
    """Return how many bytes a file takes in a package, with all that tells of it, at most."""
    content = -(-entry.listed.size // _BLOCK) * _BLOCK
    return content + _texts(entry) + _PER_FILE.get(form, 2048)


def _cut(
    entry: Packed, whole: bytes, bins: list[_Bin], room: int, most: int, form: str, taken: Set[str]
) -> Iterator[tuple[Packed, _Bin]]:
    """Yield the pieces of a file, each with the package that it goes into."""
    listed = entry.listed
    around = _cost(entry._replace(listed=listed._replace(size=0)), form) + 64 * 16 + _BLOCK
    start = number = 0
    while start < listed.size:
        bin_ = bins[-1] if bins and bins[-1].room - around >= _LEAST_PIECE else _first_with_room(bins, room, room)
        size = min(listed.size - start, (min(bin_.room, most) - around) // _BLOCK * _BLOCK)
        number += 1
        ranges = tuple(
            (max(begin, start) - start, min(begin + length, start + size) - max(begin, start))
            for begin, length in listed.data or ()
            if begin < start + size and begin + length > start
        )
        piece = listed._replace(
            form=Form.PIECE, payload=_piece_name(listed.payload, number, taken), size=size, start=start,
            whole_size=listed.size, whole_digest=whole, data=None if listed.data is None else ranges,
        )  # fmt: skip
        yield entry._replace(listed=piece), bin_
        start += size


def _piece_name(payload: str, number: int, taken: Set[str]) -> str:
    """Return where a piece lies: beside where its file would, under a name that no file has."""
    mark = ""
    while bagit.same_name(name := f"{payload}.piece{mark}-{number}") in taken:
        mark += "="
    return name


def _whole_digest(entry: Packed, told: Callable[[int], None]) -> bytes:
    """Read a file that has to be cut, and return the digest of all of it."""
    try:
        with opened(entry.source, FILE) as descriptor:
            digest, size = digest_of(descriptor, entry.listed.size, told)
            facts = os.fstat(descriptor)
            if size != entry.listed.size or Identity.of(facts) != Identity.of(entry.facts):
                raise NotSafe("changed since it was looked at")
            return digest
    except (OSError, NotSafe) as error:
        raise UnusableInput(f"cannot read {visible(entry.source)}: {error}", "run it again") from error
