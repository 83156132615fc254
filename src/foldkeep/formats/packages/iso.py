"""A package as an image of a disc, the bag at its top: ISO 9660 with Rock Ridge or Joliet, or UDF.

What is in it is found out by a helper process with a limit on memory and time, since the library trusts what it
reads; contents are then read where they lie.
"""

import contextlib
import json
import os
import select
import subprocess
import sys
import time
from collections.abc import Iterator
from typing import IO, Any, BinaryIO

from ..bagit import BadPackage, safe_path
from .names import Named
from .package import Package, Section, Stream, Told

MARK = b"CD001"
MARK_AT = 16 * 2048 + 1
"""Where the mark of ISO 9660 is (ECMA-119, 8.1)."""

_MEMORY = 1536 * 1024**2  # of address space, most of which is never touched
_SECONDS_WITHOUT_A_WORD = 30
_SECTOR = 2048
_LONGEST_LINE = 1024 * 1024


class DiscPackage(Package):
    """An image of a disc, whose files lie in it in one piece each."""

    def __init__(self, path: bytes, file: IO[bytes]) -> None:
        super().__init__(path)
        self._file = file

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

    def _open_tag(self, named: Named) -> IO[bytes]:
        return Section(self._file.fileno(), named.start, named.size)  # type: ignore[return-value]

    def contents(self) -> Iterator[tuple[Named, Stream]]:
        for named in self.names.below():
            yield named, self._open_tag(named)


def _listed(descriptor: int) -> Iterator[dict[str, Any]]:
    """Yield what a helper finds in an image; raise BadPackage if it fails, or says nothing for half a minute."""
    # -P: no module may be taken from the folder that the user happens to work in.
    line = [sys.executable, "-P", "-m", __name__]
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


def _say(**what: object) -> None:
    sys.stdout.write(json.dumps(what) + "\n")


def _look_into(file: BinaryIO) -> None:
    """Say what is in an image: in the tree with Rock Ridge, else of Joliet, else of UDF."""
    from pycdlib import PyCdlib

    image = PyCdlib()
    image.open_fp(file)
    tree = "rr_path" if image.has_rock_ridge() else "joliet_path" if image.has_joliet() else "udf_path"
    if tree == "udf_path" and not image.has_udf():
        raise ValueError("it has no names but those of ISO 9660 itself, which cut them short")
    for folder, folders, names in image.walk(**{tree: "/"}):
        for name in folders:
            _say(path=f"{folder.rstrip('/')}/{name}"[1:])
        for name in names:
            path = f"{folder.rstrip('/')}/{name}"
            record: Any = image.get_record(**{tree: path})
            if not record.is_file() or (tree == "rr_path" and record.rock_ridge.is_symlink()):
                raise ValueError(f"it has a link or a special file: {path}")
            size = record.get_data_length()
            start = record.extent_location() if tree != "udf_path" else record.inode.extent_location() if size else 0
            _say(path=path[1:], start=start * _SECTOR, size=size)


def _serve() -> None:
    """Be the helper: the image is the standard input."""
    with contextlib.suppress(ImportError, ValueError, OSError):  # not every system limits this
        import resource

        resource.setrlimit(resource.RLIMIT_AS, (_MEMORY, _MEMORY))
    try:
        _look_into(os.fdopen(os.dup(0), "rb"))
        _say(done=True)
    except Exception as error:  # the library raises whatever comes to it from what is broken
        _say(problem=str(error)[:200])


if __name__ == "__main__":
    _serve()
