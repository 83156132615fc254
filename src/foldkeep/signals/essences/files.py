"""Essences of files by their paths."""

import errno
import os
from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any

from blake3 import blake3

from foldkeep.storage.local.reading import FILE, open_path

from .essence import essence_with_digest, outline_of
from .parts import SMALL_WINDOW, WINDOW, FileSource, NoEssence


@contextmanager
def source_at(path: bytes, window: int = WINDOW, content: blake3 | None = None) -> Iterator[FileSource]:
    """Open a file to ask for its essence, see `FileSource`. Raises OSError if that cannot be."""
    descriptor = open_path(path, FILE)
    try:
        yield FileSource(descriptor, os.fstat(descriptor).st_size, window, content)
    finally:
        os.close(descriptor)


def outlined(path: bytes) -> bytes:
    """Return the outline of a file; empty if it has no essence. Raises OSError if it cannot be read."""
    with source_at(path, SMALL_WINDOW) as source:
        try:
            return outline_of(source)[:16]
        except NoEssence:
            return b""


def described(path: bytes) -> dict[str, Any]:
    """Return what is kept of the essence of a file, or why it has none, as `none`.

    Raises
    ------
    OSError
        If it cannot be read.
    """
    with source_at(path) as source:
        return _described(source)


def described_with_content(path: bytes) -> tuple[dict[str, Any], bytes]:
    """Return what `described` does, and the digest of the content, of which most is read once for both.

    Raises
    ------
    OSError
        If it cannot be read, or became shorter.
    """
    hasher = blake3()
    with source_at(path, content=hasher) as source:
        found = _described(source)
        try:
            source.read_rest()
        except NoEssence as error:
            raise OSError(errno.EIO, str(error)) from error
    return found, hasher.digest()


def _described(source: FileSource) -> dict[str, Any]:
    try:
        essence, digest = essence_with_digest(source)
    except NoEssence as error:
        return {"none": str(error)}
    return {
        "kind": essence.kind,
        "essence": digest.hex(),
        "length": essence.length,
        "rest": essence.rest,
        "shown": dict(essence.shown),
    }
