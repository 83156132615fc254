"""New files for answers: never over one that is there, and whole or not at all."""

import errno
import os
import stat
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from typing import BinaryIO

from foldkeep.model import UnusableInput, visible
from foldkeep.model.names import names_to_try
from foldkeep.model.work import reason_of


@contextmanager
def new_file(path: str) -> Iterator[tuple[str, BinaryIO]]:
    """Open a new file, and give its path with it: `path`, or a free name beside it if that one is taken.

    What was begun is taken away again if the block fails.

    Raises
    ------
    UnusableInput
        If it cannot be written.
    """
    try:
        target, stream = _opened(path)
        try:
            with stream:
                yield target, stream
        except BaseException:
            os.unlink(target)
            raise
    except OSError as error:
        raise UnusableInput(f"cannot write {visible(path)}: {reason_of(error)}", "name another file") from error


@contextmanager
def rewritten(path: str) -> Iterator[BinaryIO]:
    """Open what is to take the place of a file that we made: whoever looks sees the one or the other, whole.

    Raises
    ------
    UnusableInput
        If it cannot be written; then the former one stays.
    """
    with new_file(f"{path}.new") as (new, stream):
        yield stream
    try:
        with open(new, "rb") as written:
            os.fsync(written.fileno())
        with suppress(OSError):  # a stick that knows no modes, or nothing that was there before
            os.chmod(new, stat.S_IMODE(os.stat(path).st_mode))
        os.replace(new, path)
    except OSError as error:
        os.unlink(new)
        raise UnusableInput(f"cannot write {visible(path)}: {reason_of(error)}", "make room or name another") from error


def _opened(path: str) -> tuple[str, BinaryIO]:
    folder, name = os.path.split(os.fsencode(path))
    for free in names_to_try(name):
        target = os.fsdecode(os.path.join(folder, free))
        try:
            return target, open(target, "xb")
        except FileExistsError:
            continue
    raise FileExistsError(errno.EEXIST, "no name is free for it there")
