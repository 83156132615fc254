"""Essences of files by their paths."""

import os
from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any

from foldkeep.storage.local.reading import FILE, open_path

from .essence import essence_with_digest, outline_of
from .parts import SMALL_WINDOW, WINDOW, FileSource, NoEssence


@contextmanager
def source_at(path: bytes, window: int = WINDOW) -> Iterator[FileSource]:
    """Open a file to ask for its essence, so many bytes at a time. Raises OSError if that cannot be."""
    descriptor = open_path(path, FILE)
    try:
        yield FileSource(descriptor, os.fstat(descriptor).st_size, window)
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
