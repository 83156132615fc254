"""Telling which form a package has, and opening it."""

import os
import struct
import tarfile
import zipfile
import zlib
from collections.abc import Iterator
from contextlib import contextmanager
from typing import IO

from ..reading import opened_file
from .bagit import BadPackage
from .folder import FolderPackage
from .iso import MARK, MARK_AT, DiscPackage
from .package import Package, Told
from .tar import TarPackage, ZstdTarPackage
from .zip import ZipPackage

UNFINISHED = b".unfinished"
"""How the name of a package ends that is being made."""

_DAMAGED = (tarfile.TarError, zipfile.BadZipFile, zlib.error, EOFError, NotImplementedError, ValueError,
            OverflowError, struct.error)  # fmt: skip


@contextmanager
def open_package(path: bytes, told: Told | None = None) -> Iterator[Package]:
    """Open a package of any form for the time of the block.

    Raises OSError, or BadPackage if it is none that can be looked into safely.
    """
    if path.rstrip(b"/").endswith(UNFINISHED):
        raise BadPackage("it was never finished; archive its project again, which goes on with it")
    if os.path.isdir(path):
        with _looked_into(FolderPackage(path), told) as package:
            yield package
        return
    with opened_file(path) as file:
        try:
            with _looked_into(_opened(path, file), told) as package:
                yield package
        except BadPackage:
            raise
        except _DAMAGED as error:
            raise BadPackage(f"it is damaged, or no package: {error}") from error


@contextmanager
def _looked_into(package: Package, told: Told | None) -> Iterator[Package]:
    try:
        package.look(told)
        yield package
    finally:
        package.close()


def _opened(path: bytes, file: IO[bytes]) -> Package:
    start = file.read(512)
    mark = os.pread(file.fileno(), len(MARK), MARK_AT)
    file.seek(0)
    if start.startswith(b"PK\x03\x04"):
        return ZipPackage(path, file)
    if start.startswith(b"\x28\xb5\x2f\xfd"):
        return ZstdTarPackage(path, file)
    if mark == MARK and b"ustar" not in start:  # a tar may have anything there
        return DiscPackage(path, file)
    return TarPackage(path, file)
