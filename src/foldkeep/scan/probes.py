"""Whether a folder here is what a server shows: a picture is written there for a moment, and looked for here."""

import os
import secrets
import struct
import zlib
from collections.abc import Iterable, Iterator

from foldkeep.model import PathBytes, UnusableInput
from foldkeep.model.work import reason_of
from foldkeep.storage.remote import RemoteStorage, remote_storage, whole, write_surely

_NAME = b"foldkeep-probe-"
_SUFFIX = b".png"
_SIDE = 8  # pixels

SHOWN = "the server shows this very folder: a picture that was written there appeared here"


def why_not_two(here: PathBytes, files: Iterable[PathBytes]) -> dict[PathBytes, str]:
    """Return of folders on servers why they may be a folder here, in words; empty where nothing showed that.

    A small picture with a plain name is written beside each of the files, looked for everywhere in the folder, and
    deleted; nothing is written here. Not to see it proves nothing: a program may bring it later.
    """
    found: dict[PathBytes, str] = {}
    written: dict[PathBytes, tuple[PathBytes, bytes]] = {}
    try:
        for folder in sorted({path.rpartition(b"/")[0] for path in files}):
            try:
                written[folder] = _write(remote_storage(folder), folder)
                found[folder] = ""
            except (OSError, UnusableInput) as error:
                found[folder] = f"nothing can be written there to see whether it shows this folder: {reason_of(error)}"
        names = set(_names_below(here))
        for folder, (path, _) in written.items():
            if path.rpartition(b"/")[2] in names:
                found[folder] = SHOWN
    finally:
        for folder, (path, picture) in written.items():
            try:
                _take_away(remote_storage(folder), path, picture)
            except (OSError, UnusableInput) as error:
                found[folder] = (
                    found[folder] or f"the picture that was written there could not be deleted: {reason_of(error)}"
                )
    return found


def _write(storage: RemoteStorage, folder: PathBytes) -> tuple[PathBytes, bytes]:
    """Write a picture of our own into a folder on a server, and delete those that a killed process left there."""
    for file in storage.files(folder):
        if file.name.startswith(_NAME) and file.name.endswith(_SUFFIX) and not file.is_folder:
            token = file.name[len(_NAME) : -len(_SUFFIX)]
            _take_away(storage, folder + b"/" + file.name, _picture(token))
    token = secrets.token_hex(8).encode()
    path, picture = folder + b"/" + _NAME + token + _SUFFIX, _picture(token)
    write_surely(storage, path, picture)
    return path, picture


def _take_away(storage: RemoteStorage, path: PathBytes, picture: bytes) -> None:
    """Delete a picture of our own, if it is still that."""
    facts = storage.facts(path)
    if facts is not None and facts.size == len(picture) and whole(storage, path) == picture:
        storage.remove(path, facts.etag)


def _picture(token: bytes) -> bytes:
    """Return a grey picture as a PNG (RFC 2083) that says what it is for, other for each token."""
    shades = zlib.crc32(token).to_bytes(4, "big") * (_SIDE // 4)
    parts = (
        (b"IHDR", struct.pack(">IIBBBBB", _SIDE, _SIDE, 8, 0, 0, 0, 0)),
        (b"tEXt", b"Comment\0Written by foldkeep coverage to see where it appears; it may be deleted. " + token),
        (b"IDAT", zlib.compress((b"\0" + shades) * _SIDE)),
        (b"IEND", b""),
    )
    chunks = (
        struct.pack(">I", len(body)) + kind + body + struct.pack(">I", zlib.crc32(kind + body)) for kind, body in parts
    )
    return b"\x89PNG\r\n\x1a\n" + b"".join(chunks)


def _names_below(folder: PathBytes) -> Iterator[bytes]:
    for _, _, names in os.walk(folder):
        yield from names
