"""The listing in a package of ours: what every file was, so that it can be brought back exactly."""

import json
from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from enum import StrEnum

from foldkeep.model import file_uri, format_digest, parse_digest, path_from_uri

from .bagit import LISTING, BadPackage, name_in_listing, path_in_listing, safe_path

_FORMAT = "files of a Fold Keep package"
_VERSION = 1


class Form(StrEnum):
    """What a name in a project stands for."""

    FILE = "file"
    FOLDER = "folder"
    LINK = "link"  # a symbolic one
    SAME = "same"  # another name (hard link) of a file


@dataclass(frozen=True, slots=True)
class Listed:
    """One name of an archived project.

    Attributes
    ----------
    path
        Below the project's folder; of media from outside it below the root.
    payload
        Where a file lies in the package; empty for what is no file.
    mode, modified_ns
        Permission bits, and the time of last modification in nanoseconds since the epoch.
    digest
        BLAKE3 of a file's content; empty for what is no file.
    target
        The text of a symbolic link, or the path of the file that this is another name of.
    is_outside
        Whether it came from outside the project's folder.
    is_sparse
        Whether it had holes.
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


@dataclass(frozen=True, slots=True)
class ListingHead:
    """What a listing says of its package as a whole.

    Attributes
    ----------
    key
        What tells it from every other.
    project
        The folder that was archived, with its mode and time of last modification.
    made_ns
        When, in nanoseconds since the epoch.
    left_out
        Bytes that could be made again.
    """

    key: str
    project: bytes
    made_ns: int
    left_out: int
    mode: int = 0o755
    modified_ns: int = 0


def listing_text(head: ListingHead, entries: Iterable[Listed]) -> Iterator[str]:
    """Yield the lines of a listing: JSON Lines, what it is first."""
    yield json.dumps({
        "format": _FORMAT, "version": _VERSION, "key": head.key, "project": file_uri(head.project),
        "made_ns": head.made_ns, "left_out": head.left_out, "mode": f"{head.mode:o}", "modified_ns": head.modified_ns,
    }) + "\n"  # fmt: skip
    for entry in entries:
        yield json.dumps(_document(entry)) + "\n"


def _document(entry: Listed) -> dict[str, object]:
    found: dict[str, object] = {"form": str(entry.form), "path": name_in_listing(entry.path)}
    if entry.is_outside:
        found["outside"] = True
    if entry.form in (Form.LINK, Form.SAME):
        found["target"] = name_in_listing(entry.target)
    if entry.form is Form.FILE:
        found |= {"payload": entry.payload, "size": entry.size, "digest": format_digest(entry.digest)}
    if entry.is_sparse:
        found["sparse"] = True
    return {**found, "mode": f"{entry.mode:o}", "modified_ns": entry.modified_ns}


def parse_listing(data: bytes) -> tuple[ListingHead, list[Listed]]:
    """Read a listing.

    Raises BadPackage if it is none, is of a newer kind, or has a path twice or one that leads out.
    """
    try:
        first, *lines = data.decode("utf-8").splitlines()
        said = json.loads(first)
        if said["format"] != _FORMAT or said["version"] != _VERSION:
            raise BadPackage(f"{LISTING} is of another kind or of a newer Fold Keep")
        head = ListingHead(
            str(said["key"]),
            path_from_uri(said["project"]),
            _whole(said["made_ns"]),
            _whole(said["left_out"]),
            int(said["mode"], 8) & 0o7777,
            _whole(said["modified_ns"]),
        )
        entries = [_entry(json.loads(line)) for line in lines]
    except BadPackage:
        raise
    except (ValueError, KeyError, TypeError, AttributeError, RecursionError) as error:
        raise BadPackage(f"{LISTING} cannot be understood: {error}") from error
    _check(entries)
    return head, entries


def _whole(value: object) -> int:
    """Return a whole number of 64 bits; raise ValueError if it is none."""
    if not isinstance(value, int) or isinstance(value, bool) or not -(2**63) <= value < 2**63:
        raise ValueError(f"{str(value)[:40]} is no whole number of 64 bits")
    return value


def _entry(said: dict[str, object]) -> Listed:
    form = Form(str(said["form"]))
    target = b""
    if form is Form.SAME:
        target = path_in_listing(str(said["target"]))
    elif form is Form.LINK:
        from urllib.parse import unquote_to_bytes

        target = unquote_to_bytes(str(said["target"]))
        if not target or b"\0" in target:
            raise ValueError("a link leads nowhere")
    is_file = form is Form.FILE
    size = _whole(said["size"]) if is_file else 0
    if size < 0:
        raise ValueError("a size is negative")
    return Listed(
        form,
        path_in_listing(str(said["path"])),
        int(str(said["mode"]), 8) & 0o7777,
        _whole(said["modified_ns"]),
        safe_path(str(said["payload"]), LISTING) if is_file else "",
        size,
        parse_digest(str(said["digest"])) if is_file else b"",
        target,
        said.get("outside") is True,
        said.get("sparse") is True,
    )


def _check(entries: list[Listed]) -> None:
    """Raise BadPackage if a path is there twice, or lies below one that is no folder."""
    for outside in (False, True):
        here = {entry.path: entry.form for entry in entries if entry.is_outside == outside}
        if len(here) != sum(entry.is_outside == outside for entry in entries):
            raise BadPackage(f"{LISTING} has a path twice")
        for path in here:
            above = path.rpartition(b"/")[0]
            while above:
                if here.get(above, Form.FOLDER) is not Form.FOLDER:
                    raise BadPackage(f"{LISTING} has {above!r} as a folder and as something else")
                above = above.rpartition(b"/")[0]
        for entry in entries:
            if entry.form is Form.SAME and entry.is_outside == outside and here.get(entry.target) is not Form.FILE:
                raise BadPackage(f"{LISTING} has another name of a file that is not there: {entry.path!r}")
