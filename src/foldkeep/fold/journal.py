"""The journal: what is about to be done to each folded file, written beside the files themselves.

A journal is a text file of JSON objects, one a line. The first tells the run; every other one tells what
is about to be done to one file (`do`) or that it was done (`done`). It is only ever added to. A line
counts if it is whole: a run that is killed while it writes leaves part of a line, and what that line was
to announce has not been done.
"""

import json
import os
from collections.abc import Iterable
from typing import Any

from foldkeep.model import file_uri, path_from_uri

Entry = dict[str, Any]

VERSION = 1
_encode = json.JSONEncoder(separators=(",", ":")).encode


class Journal:
    """The journal of one run in one place, open for adding to it.

    The descriptor belongs to the caller.
    """

    def __init__(self, descriptor: int) -> None:
        self._descriptor = descriptor

    def write(self, entries: Iterable[Entry]) -> None:
        """Add entries and flush them to the disk; they last when this returns."""
        text = "".join(f"{_encode(entry)}\n" for entry in entries).encode("ascii")
        if not text:
            return
        if self._torn():
            text = b"\n" + text
        while text:
            text = text[os.write(self._descriptor, text) :]
        os.fsync(self._descriptor)

    def _torn(self) -> bool:
        size = os.fstat(self._descriptor).st_size
        return size > 0 and os.pread(self._descriptor, 1, size - 1) != b"\n"


def read_journal(descriptor: int) -> list[Entry]:
    """Return the whole entries of a journal in the order in which they were written."""
    with open(descriptor, "rb", closefd=False) as stream:
        stream.seek(0)
        entries = []
        for line in stream:
            try:
                entry = json.loads(line)
            except ValueError:
                continue
            if line.endswith(b"\n") and isinstance(entry, dict):
                entries.append(entry)
        return entries


def relative_name(place: bytes, path: bytes) -> str:
    """Return a path below a place as it is written in a journal: percent-encoded, relative to the place."""
    return file_uri(path[len(place.rstrip(b"/")) :]).removeprefix("file:///")


def absolute_path(place: bytes, name: str) -> bytes:
    """Return the path that `relative_name` wrote; ValueError if it is not one below the place."""
    path = path_from_uri("file:///" + name)
    if b".." in path.split(b"/"):
        raise ValueError(f"leads out of its place: {name!r}")
    return place.rstrip(b"/") + path
