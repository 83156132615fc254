"""The helper that looks into images of discs: the image is its standard input, one line of JSON each name in it.

It runs by itself and imports nothing of ours.
"""

import contextlib
import json
import os
import sys
from typing import Any, BinaryIO

_MEMORY = 640 * 1024**2  # of address space, part of which is never touched
_SECTOR = 2048


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
