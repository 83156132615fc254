"""Inventories: what the stock knows of places, in one portable file that outlives stock and machine.

The form is our own and is told in docs/formats.md: JSON Lines (one object a line, ASCII), compressed with gzip
(RFC 1952). It is written and read as a stream. A second, empty gzip member follows, whose extra field holds the
BLAKE3 digest of all bytes before it, so that a file which was cut short or changed anywhere is told from a whole one.
"""

import gzip
import io
import json
import os
import struct
import zlib
from collections.abc import Iterable, Iterator, Mapping, Sequence
from types import MappingProxyType
from typing import Any, BinaryIO, NamedTuple, cast
from urllib.parse import quote_from_bytes, unquote_to_bytes

from blake3 import blake3

from foldkeep.model import UnusableInput, visible
from foldkeep.model.machines import Machine, is_machine_id, is_machine_name
from foldkeep.model.names import file_uri, path_from_uri
from foldkeep.model.units import format_moment, parse_moment
from foldkeep.model.work import reason_of

from ..reading import opened_file
from .writing import new_file

FORMAT, VERSION = "foldkeep inventory", 1
_LEVEL = 5  # of these lines smaller than 6, and faster
_FILES_A_LINE = 1000
_SIZE = 2  # its column
_HASHED_AT_ONCE = 1024 * 1024
_LONGEST_LINE = 64 * 1024 * 1024


class InventoryPlace(NamedTuple):
    """A place as an inventory has it; `volume_key` and `volume_name` are as those of `Volume`."""

    path: bytes
    label: str
    role: str
    volume_key: str
    volume_name: str
    scanned_ns: int | None


class InventoryFolder(NamedTuple):
    """Some files of one folder, by columns: there may be millions, and so they are read many at a time.

    Attributes
    ----------
    path
        Absolute path of the folder.
    place
        The number of its place in the head, from 0.
    volume_key
        The key of its volume.
    names
        The names of the files. The other lists are as long, and have what `StockFile` has under those names;
        `ends` are numbers that differ only where first or last blocks do, `digests` are hexadecimal or None.
    """

    path: bytes
    place: int
    volume_key: str
    names: list[bytes]
    kinds: list[str]
    sizes: list[int]
    modified_ns: list[int]
    inodes: list[int]
    links: list[int]
    owners: list[int]
    blocks: list[int | None]
    extents: list[int | None]
    contents: list[str | None]
    ends: list[int | None]
    digests: list[str | None]

    def rows(self) -> Iterator[tuple[Any, ...]]:
        """Yield the files one by one: the columns in their order."""
        return zip(*(getattr(self, column) for column in _COLUMNS), strict=True)


_NONE = type(None)
_COLUMNS: dict[str, set[type]] = {
    "names": {bytes},
    "kinds": {str},
    "sizes": {int},
    "modified_ns": {int},
    "inodes": {int},
    "links": {int},
    "owners": {int},
    "blocks": {int, _NONE},
    "extents": {int, _NONE},
    "contents": {str, _NONE},
    "ends": {int, _NONE},
    "digests": {str, _NONE},
}


class InventoryHead(NamedTuple):
    """Head of an inventory.

    Attributes
    ----------
    saved_ns
        When it was saved, nanoseconds since the epoch.
    volumes
        Names of volumes by key.
    disks
        The numbers that the disks of volumes have of their own, by the volume's key; none of what is not known.
    machine
        On which machine; nameless in inventories of before there were several.
    knows_uses
        Whether it tells which files projects and catalogues use.
    """

    saved_ns: int
    places: list[InventoryPlace]
    volumes: dict[str, str]
    machine: Machine = Machine("", "")
    knows_uses: bool = False
    disks: Mapping[str, Sequence[str]] = MappingProxyType({})


def write_inventory(
    path: str, head: InventoryHead, folders: Iterable[tuple[bytes, int, str, list[tuple[Any, ...]]]]
) -> tuple[str, int, int]:
    """Write an inventory and return where, and how many files of how many bytes it tells of.

    Parameters
    ----------
    path
        Where to write it; a taken name gets a free one beside it.
    folders
        For each folder its path, the number of its place, the key of its volume, and its files with what
        `InventoryFolder` has in columns, the digests as bytes.

    Raises
    ------
    UnusableInput
        If it cannot be written; what was begun is taken away again.
    """
    with new_file(path) as (target, stream):
        counts = _write(stream, head, folders)
        stream.flush()
        os.fsync(stream.fileno())
    return target, *counts


def _write(
    stream: BinaryIO, head: InventoryHead, folders: Iterable[tuple[bytes, int, str, list[tuple[Any, ...]]]]
) -> tuple[int, int]:
    files = size = 0
    hashed = _Hashed(stream)
    # Neither name nor time of writing in the gzip header: what is in it and when it was saved is in the lines.
    with gzip.GzipFile("", "wb", _LEVEL, cast(BinaryIO, hashed), 0) as packed:

        def put(entry: dict[str, Any]) -> None:
            packed.write(json.dumps(entry, separators=(",", ":")).encode() + b"\n")

        put(head_entry(head))
        for path, place, volume_key, rows in folders:
            for at in range(0, max(len(rows), 1), _FILES_A_LINE):
                part = rows[at : at + _FILES_A_LINE]
                by_column = zip(*part, strict=True) if part else ((),) * len(_COLUMNS)
                columns: dict[str, Any] = dict(zip(_COLUMNS, by_column, strict=True))
                columns["names"] = "/".join(map(_quoted, columns["names"]))
                columns["digests"] = [digest and digest.hex() for digest in columns["digests"]]
                put({"folder": file_uri(path), "place": place, "volume": volume_key, **columns})
            files += len(rows)
            size += sum(row[_SIZE] for row in rows)
        put({"end": {"files": files, "bytes": size}})
    stream.write(_seal(hashed.digest()))
    return files, size


def _seal(digest: bytes) -> bytes:
    """Return an empty gzip member that carries a digest in its extra field (RFC 1952, 2.3.1.1)."""
    field = b"FK" + struct.pack("<H", len(digest)) + digest
    head = b"\x1f\x8b\x08\x04" + bytes(5) + b"\xff" + struct.pack("<H", len(field))
    return head + field + b"\x03\0" + bytes(8)


_SEAL_BYTES = len(_seal(bytes(32)))


class _Hashed:
    """A stream that hashes what is written to it."""

    def __init__(self, stream: BinaryIO) -> None:
        self._stream = stream
        self._hasher = blake3()

    def write(self, data: bytes) -> int:
        self._hasher.update(data)
        return self._stream.write(data)

    def flush(self) -> None:
        self._stream.flush()

    def digest(self) -> bytes:
        return self._hasher.digest()


class _Unsealed:
    """Reads a stream but for its seal, which is what is left at the end."""

    def __init__(self, stream: BinaryIO) -> None:
        self._stream = stream
        self._hasher = blake3()
        self._held = b""

    def read(self, count: int) -> bytes:
        while len(self._held) <= _SEAL_BYTES:
            more = self._stream.read(max(count, io.DEFAULT_BUFFER_SIZE))
            if not more:
                return b""
            self._held += more
        ready, self._held = self._held[:-_SEAL_BYTES][:count], self._held[min(count, len(self._held) - _SEAL_BYTES) :]
        self._hasher.update(ready)
        return ready

    def is_whole(self) -> bool:
        return self._held == _seal(self._hasher.digest())


def _is_sealed(file: BinaryIO) -> bool:
    """Tell whether a file ends with the seal of all that is before it; nothing in it is read as anything until then."""
    hasher, left = blake3(), os.fstat(file.fileno()).st_size - _SEAL_BYTES
    while left > 0 and (part := file.read(min(left, _HASHED_AT_ONCE))):
        hasher.update(part)
        left -= len(part)
    is_sealed = left == 0 and file.read() == _seal(hasher.digest())
    file.seek(0)
    return is_sealed


def head_entry(head: InventoryHead) -> dict[str, Any]:
    """Return the JSON object that an inventory begins with."""
    return {
        "format": FORMAT,
        "version": VERSION,
        "saved": format_moment(head.saved_ns),
        "machine": head.machine._asdict(),
        "uses": head.knows_uses,
        "places": [
            {
                "uri": file_uri(place.path),
                "label": place.label,
                "role": place.role,
                "volume": place.volume_key,
                "scanned": format_moment(place.scanned_ns) if place.scanned_ns is not None else None,
            }
            for place in head.places
        ],
        "volumes": head.volumes,
        "disks": {volume: list(numbers) for volume, numbers in head.disks.items()},
    }


def _quoted(name: bytes) -> str:
    return name.decode("ascii") if name.isalnum() else quote_from_bytes(name, safe=" !#$&'()+,;=@[]{}~^`")


class InventoryReader:
    """An inventory that is being read.

    Attributes
    ----------
    head
        What it begins with.
    files, bytes
        How many files were read so far, and the sum of their sizes.
    """

    def __init__(self, path: str) -> None:
        self._path = path
        self.files = self.bytes = 0
        try:
            self._file = opened_file(path)
        except OSError as error:
            raise UnusableInput(
                f"cannot read the inventory {visible(path)}: {reason_of(error)}",
                "name a file that `foldkeep inventory save` wrote",
            ) from error
        if not _is_sealed(self._file):
            self.close()
            raise self._damaged("it was cut short or changed, or it is none")
        self._unsealed = _Unsealed(self._file)
        self._stream = gzip.GzipFile(fileobj=cast(BinaryIO, self._unsealed), mode="rb")
        self._lines = self._entries()
        try:
            self.head = head_of(next(self._lines, {}))
        except (ValueError, KeyError, TypeError, AttributeError, OverflowError) as error:
            self.close()
            raise self._damaged("it does not begin as one") from error
        except UnusableInput:
            self.close()
            raise

    def folders(self) -> Iterator[InventoryFolder]:
        """Yield the folders with their files; a large folder comes in several parts, one after the other.

        Raises
        ------
        UnusableInput
            If it was cut short or is damaged; that may come to light only at its end.
        """
        with self._file:
            ended = False
            for entry in self._lines:
                try:
                    if "end" in entry:
                        ended = entry["end"] == {"files": self.files, "bytes": self.bytes}
                        break
                    folder = _folder(entry, len(self.head.places))
                except (ValueError, KeyError, TypeError, AttributeError, OverflowError) as error:
                    raise self._damaged("a line of it makes no sense") from error
                self.files += len(folder.names)
                self.bytes += sum(folder.sizes)
                yield folder
            if not ended or next(self._lines, None) is not None or not self._unsealed.is_whole():
                raise self._damaged("it was cut short or changed")

    def close(self) -> None:
        """Close the file before its end."""
        self._file.close()

    def _entries(self) -> Iterator[dict[str, Any]]:
        while True:
            try:
                line = self._stream.readline(_LONGEST_LINE)
            except (OSError, EOFError, zlib.error) as error:
                raise self._damaged("it was cut short or changed") from error
            if not line:
                return
            if not line.endswith(b"\n"):
                raise self._damaged("it was cut short or changed")
            try:
                entry = json.loads(line)
            except (ValueError, RecursionError) as error:
                raise self._damaged("a line of it makes no sense") from error
            if not isinstance(entry, dict):
                raise self._damaged("a line of it makes no sense")
            yield entry

    def _damaged(self, why: str) -> UnusableInput:
        return UnusableInput(
            f"{visible(self._path)} is no whole inventory: {why}", "take another copy of it, or save it again"
        )


def head_of(entry: dict[str, Any]) -> InventoryHead:
    """Return the head that a JSON object of `head_entry` tells.

    Raises ValueError, KeyError, TypeError, AttributeError or OverflowError if it is none.
    """
    if entry.get("format") != FORMAT:
        raise ValueError("not an inventory")
    if entry["version"] != VERSION:
        raise ValueError(f"version {entry['version']}")
    volumes = {str(key): str(name) for key, name in entry["volumes"].items()}
    places = [
        InventoryPlace(
            path_from_uri(each["uri"]),
            each["label"],
            each["role"],
            each["volume"],
            volumes.setdefault(each["volume"], ""),
            parse_moment(each["scanned"]) if each["scanned"] else None,
        )
        for each in entry["places"]
    ]
    told = entry.get("machine", {"id": "", "name": ""})
    machine = Machine(str(told["id"]), str(told["name"]))
    if machine.id and not (is_machine_id(machine.id) and is_machine_name(machine.name)):
        raise ValueError("no such machine")
    disks = {
        volume: tuple(str(number) for number in numbers)
        for volume, numbers in entry.get("disks", {}).items()
        if volume in volumes and isinstance(numbers, list)
    }
    return InventoryHead(parse_moment(entry["saved"]), places, volumes, machine, entry.get("uses") is True, disks)


def _folder(entry: dict[str, Any], places: int) -> InventoryFolder:
    if not 0 <= entry["place"] < places:
        raise ValueError("no such place")
    text = entry["names"]
    names = text.encode("ascii").split(b"/") if text else []
    columns = {**entry, "names": [unquote_to_bytes(name) for name in names] if "%" in text else names}
    return checked(
        InventoryFolder(
            path_from_uri(entry["folder"]), entry["place"], entry["volume"], *(columns[column] for column in _COLUMNS)
        )
    )


def checked(folder: InventoryFolder) -> InventoryFolder:
    """Return a folder whose columns are all of one length, and hold what they should; raise ValueError if not."""
    for column, types in _COLUMNS.items():
        values = getattr(folder, column)
        if len(values) != len(folder.names) or not set(map(type, values)) <= types:
            raise ValueError(f"wrong {column}")
    return folder
