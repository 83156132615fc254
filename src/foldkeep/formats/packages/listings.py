"""The listing in a package of ours: what every file was, so that it can be brought back exactly."""

import base64
import json
from collections.abc import Callable, Iterable, Iterator
from enum import StrEnum
from typing import Any, NamedTuple, TypeVar
from urllib.parse import unquote_to_bytes

from foldkeep.model.files import format_digest, parse_digest
from foldkeep.model.names import file_uri, path_from_uri

from .bagit import LISTING, BadPackage, name_in_listing, path_in_listing, safe_path

_FORMAT = "files of a Fold Keep package"
_VERSION = 1
_Said = TypeVar("_Said")


class Form(StrEnum):
    """Kinds of thing that a name in a project stands for."""

    FILE = "file"
    FOLDER = "folder"
    LINK = "link"  # a symbolic one
    SAME = "same"  # another name (hard link) of a file
    PIECE = "piece"  # of a file that no single part of a split package can hold


class Owner(NamedTuple):
    """Who owns a file: numbers, and the names that they had where it was archived; empty where they had none."""

    user: int
    group: int
    user_name: str = ""
    group_name: str = ""


class Listed(NamedTuple):
    """One name of an archived project.

    Attributes
    ----------
    path
        Below the project's folder; of media from outside it below the root.
    payload
        Where a file lies in the package; empty for what is no file.
    mode, modified_ns
        Permission bits, and the time of last modification in nanoseconds since the epoch.
    size, digest
        Of a file's content, or of a piece; BLAKE3; empty for what is neither.
    target
        The text of a symbolic link, or the path of the file that this is another name of.
    is_outside
        Whether it came from outside the project's folder.
    is_sparse, data
        Whether it had holes; and if so where there was something else: starts and lengths in bytes, None if that is
        not known.
    owner
        None if it is that of the project's folder, or not known.
    attributes
        Extended attributes by name, access control lists among them.
    start, whole_size, whole_digest
        Of a piece: where it begins in the whole file, and the size and digest of that.
    """

    form: Form
    path: bytes
    mode: int = 0o644
    modified_ns: int = 0
    payload: str = ""
    size: int = 0
    digest: bytes = b""
    target: bytes = b""
    is_outside: bool = False
    is_sparse: bool = False
    data: tuple[tuple[int, int], ...] | None = None
    owner: Owner | None = None
    attributes: tuple[tuple[bytes, bytes], ...] = ()
    start: int = 0
    whole_size: int = 0
    whole_digest: bytes = b""

    @property
    def is_content(self) -> bool:
        """Whether it has content in the package."""
        return self.form in (Form.FILE, Form.PIECE)

    @property
    def room(self) -> int:
        """How many bytes its content takes on a disk that can have holes, but for the rounding to blocks."""
        if not self.is_sparse:
            return self.size
        return sum(length for _, length in self.data) if self.data is not None else 0


class ListingHead(NamedTuple):
    """Head of a listing: facts of the package as a whole.

    Attributes
    ----------
    key
        What tells it from every other.
    project
        The folder that was archived, with its mode, time of last modification, owner and attributes.
    made_ns
        When, in nanoseconds since the epoch.
    left_out
        Bytes that could be made again.
    part, parts
        Which part of a split package this is, from 1, and the keys of all of them in order; 0 and empty for one that
        is whole in itself.
    """

    key: str
    project: bytes
    made_ns: int
    left_out: int
    mode: int = 0o755
    modified_ns: int = 0
    owner: Owner | None = None
    attributes: tuple[tuple[bytes, bytes], ...] = ()
    part: int = 0
    parts: tuple[str, ...] = ()


def listing_text(head: ListingHead, entries: Iterable[Listed]) -> Iterator[str]:
    """Yield the lines of a listing: JSON Lines, what it is first."""
    parts = {"part": head.part, "parts": list(head.parts)} if head.parts else {}
    yield json.dumps({
        "format": _FORMAT, "version": _VERSION, "key": head.key, "project": file_uri(head.project),
        "made_ns": head.made_ns, "left_out": head.left_out, "mode": f"{head.mode:o}", "modified_ns": head.modified_ns,
        **_more(head.owner, head.attributes), **parts,
    }) + "\n"  # fmt: skip
    for entry in entries:
        yield json.dumps(_document(entry)) + "\n"


def _document(entry: Listed) -> dict[str, object]:
    found: dict[str, object] = {"form": str(entry.form), "path": name_in_listing(entry.path)}
    if entry.is_outside:
        found["outside"] = True
    if entry.form in (Form.LINK, Form.SAME):
        found["target"] = name_in_listing(entry.target)
    if entry.is_content:
        found |= {"payload": entry.payload, "size": entry.size, "digest": format_digest(entry.digest)}
    if entry.form is Form.PIECE:
        found |= {
            "start": entry.start,
            "whole_size": entry.whole_size,
            "whole_digest": format_digest(entry.whole_digest),
        }
    if entry.is_sparse:
        found["sparse"] = True
        if entry.data is not None:
            found["data"] = entry.data
    return {
        **found, "mode": f"{entry.mode:o}", "modified_ns": entry.modified_ns,
        **_more(entry.owner, entry.attributes),
    }  # fmt: skip


def _more(owner: Owner | None, attributes: tuple[tuple[bytes, bytes], ...]) -> dict[str, object]:
    found: dict[str, object] = {}
    if owner:
        found["owner"] = [owner.user, owner.group, owner.user_name, owner.group_name]
    if attributes:
        found["attributes"] = {name_in_listing(name): base64.b64encode(value).decode() for name, value in attributes}
    return found


class Listing:
    """A listing that is read line by line, as often as it is asked.

    Parameters
    ----------
    lines
        Yields its lines from the first, whenever it is called.
    """

    def __init__(self, lines: Callable[[], Iterator[str]]) -> None:
        self._lines = lines
        self.head = _understood(_head, next(lines(), ""))

    def __iter__(self) -> Iterator[tuple[str, Listed]]:
        """Yield every line but the first, and what it says."""
        lines = self._lines()
        next(lines, None)
        for line in lines:
            yield line, listed(line)


def listed(line: str) -> Listed:
    """Return what a line of a listing says; raise BadPackage if that cannot be understood."""
    return _understood(_entry, line)


def _understood(read: Callable[[Any], _Said], line: str) -> _Said:
    """Return what a line says; raise BadPackage if that cannot be understood."""
    try:
        return read(json.loads(line))
    except BadPackage:
        raise
    except (ValueError, KeyError, TypeError, AttributeError, OverflowError, RecursionError) as error:
        raise BadPackage(f"{LISTING} cannot be understood: {str(error)[:200]}") from error


def _head(said: dict[str, Any]) -> ListingHead:
    if said["format"] != _FORMAT or said["version"] != _VERSION:
        raise BadPackage(f"{LISTING} is of another kind or of a newer Fold Keep")
    parts = tuple(map(str, said.get("parts", ())))
    part = _whole(said.get("part", 0))
    if not (0 < part <= len(parts) or (part, parts) == (0, ())):
        raise ValueError("it is no part of what it says")
    return ListingHead(
        str(said["key"]), path_from_uri(said["project"]), _whole(said["made_ns"]), _whole(said["left_out"]),
        int(said["mode"], 8) & 0o7777, _moment(said["modified_ns"]), _owner(said), _attributes(said), part, parts,
    )  # fmt: skip


def _whole(value: object) -> int:
    """Return a whole number of 64 bits; raise ValueError if it is none."""
    if not isinstance(value, int) or isinstance(value, bool) or not -(2**63) <= value < 2**63:
        raise ValueError(f"{str(value)[:40]} is no whole number of 64 bits")
    return value


def _moment(value: object) -> int:
    """Return nanoseconds since the epoch; raise ValueError if their seconds are no whole number of 64 bits.

    That is as far as file systems and `utimensat` of POSIX go; 64 bits of nanoseconds would end in 2262.
    """
    if not isinstance(value, int) or isinstance(value, bool):
        raise ValueError(f"{str(value)[:40]} is no moment")
    _whole(value // 1_000_000_000)
    return value


def _natural(value: object) -> int:
    """Return a whole number that is not negative; raise ValueError if it is none."""
    number = _whole(value)
    if number < 0:
        raise ValueError("a size is negative")
    return number


def _owner(said: dict[str, Any]) -> Owner | None:
    if "owner" not in said:
        return None
    user, group, user_name, group_name = said["owner"]
    numbers = (_natural(user), _natural(group))
    if max(numbers) >= 2**32 - 1:
        raise ValueError("nobody has such a number")
    return Owner(*numbers, str(user_name), str(group_name))


def _attributes(said: dict[str, Any]) -> tuple[tuple[bytes, bytes], ...]:
    found = []
    for name, value in said.get("attributes", {}).items():
        plain = unquote_to_bytes(name)
        if not plain or b"\0" in plain:
            raise ValueError("an attribute has no name")
        found.append((plain, base64.b64decode(value, validate=True)))
    return tuple(found)


def _entry(said: dict[str, Any]) -> Listed:
    form = Form(str(said["form"]))
    plain = Listed(
        form, path_in_listing(str(said["path"])), int(str(said["mode"]), 8) & 0o7777, _moment(said["modified_ns"]),
        is_outside=said.get("outside") is True, owner=_owner(said), attributes=_attributes(said),
    )  # fmt: skip
    if form is Form.SAME:
        return plain._replace(target=path_in_listing(str(said["target"])))
    if form is Form.LINK:
        target = unquote_to_bytes(str(said["target"]))
        if not target or b"\0" in target:
            raise ValueError("a link leads nowhere")
        return plain._replace(target=target)
    if form is Form.FOLDER:
        return plain
    size = _natural(said["size"])
    content = plain._replace(
        payload=safe_path(str(said["payload"]), LISTING), size=size, digest=parse_digest(str(said["digest"])),
        is_sparse=said.get("sparse") is True, data=_data(said, size),
    )  # fmt: skip
    if form is Form.FILE:
        return content
    start, whole = _natural(said["start"]), _natural(said["whole_size"])
    if start + size > whole:
        raise ValueError("a piece reaches beyond its file")
    digest = parse_digest(str(said["whole_digest"]))
    return content._replace(start=start, whole_size=whole, whole_digest=digest)


def _data(said: dict[str, Any], size: int) -> tuple[tuple[int, int], ...] | None:
    """Return where a file with holes has data; raise ValueError if that is not in order, or not within it."""
    if said.get("sparse") is not True or "data" not in said:
        return None
    found, at = [], 0
    for start, length in said["data"]:
        if _natural(start) < at or _natural(length) == 0 or start + length > size:
            raise ValueError("the data between holes is not in order")
        found.append((start, length))
        at = start + length
    return tuple(found)
