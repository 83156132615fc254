"""A package as an image of a disc, the bag at its top: ISO 9660 with Rock Ridge or Joliet, or UDF.

What is in it is found out by a helper process with a limit on memory and time, since the library trusts what it
reads; contents are then read where they lie.
"""

import json
import os
import select
import subprocess
import sys
import time
from collections.abc import Iterator
from typing import Any

from foldkeep.model.extras import need

from . import iso_helper
from .bagit import BadPackage, safe_path
from .package import FilePackage, Told

MARK = b"CD001"
MARK_AT = 16 * 2048 + 1
"""Where the mark of ISO 9660 is (ECMA-119, 8.1)."""

_SECONDS_WITHOUT_A_WORD = 30
_LONGEST_LINE = 1024 * 1024


class DiscPackage(FilePackage):
    """An image of a disc, whose files lie in it in one piece each."""

    def look(self, _: Told | None) -> None:
        size = os.fstat(self._file.fileno()).st_size
        for what in _listed(self._file.fileno()):
            name = safe_path(str(what["path"]), "the package")
            if "size" not in what:
                self.names.add_folder(name)
                continue
            start, length = int(what["start"]), int(what["size"])
            if start < 0 or length < 0 or start + length > size:
                raise BadPackage(f"it ends within {name!r}")
            self.names.add_file(name, length, start)
        self.names.check_shape()


def _listed(descriptor: int) -> Iterator[dict[str, Any]]:
    """Yield what a helper finds in an image; raise BadPackage if it fails, or says nothing for half a minute."""
    need("discs")
    # -P: no module may be taken from the folder that the user happens to work in. By its path, so that it starts
    # without anything else of ours.
    line = [sys.executable, "-P", iso_helper.__file__]
    with subprocess.Popen(line, stdin=descriptor, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL) as helper:
        assert helper.stdout is not None  # noqa: S101 - it was asked for
        try:
            rest, is_done = b"", False
            for part in _parts(helper.stdout.fileno()):
                *lines, rest = (rest + part).split(b"\n")
                if len(rest) > _LONGEST_LINE:
                    break
                for each in map(json.loads, lines):
                    if "done" in each:
                        is_done = True
                    elif "problem" in each:
                        raise BadPackage(f"it cannot be read: {each['problem']}")
                    else:
                        yield each
            if not is_done:
                raise BadPackage("it cannot be read: what looks into it failed, or took too long")
        finally:
            helper.kill()


def _parts(stream: int) -> Iterator[bytes]:
    until = time.monotonic() + _SECONDS_WITHOUT_A_WORD
    while select.select([stream], [], [], max(0.0, until - time.monotonic()))[0]:
        part = os.read(stream, 1024 * 1024)
        if not part:
            return
        yield part
        until = time.monotonic() + _SECONDS_WITHOUT_A_WORD
