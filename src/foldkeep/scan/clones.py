"""Clones: files that share their blocks on the disk, on file systems that copy on write.

Linux tells the place of a file's first extent, and whether another file has it too, through the FIEMAP ioctl
(Documentation/filesystems/fiemap.rst). Elsewhere, and on file systems that never share, nothing is told.
"""

import errno
import os
import struct
import sys
from functools import cache

from foldkeep.storage.local.reading import FILE, open_path

_SHARING = frozenset({"btrfs", "xfs", "bcachefs", "ocfs2"})
_FS_IOC_FIEMAP = 0xC020660B
_HEADER = struct.Struct("=QQLLLL")  # start, length, flags, mapped extents, extents asked for, reserved
_EXTENT = struct.Struct("=QQQQQLLLL")  # logical, physical, length, reserved, reserved, flags, reserved
_FLUSH_FIRST, _SHARED = 0x1, 0x2000


def shared_extent(descriptor: int, facts: os.stat_result) -> int | None:
    """Return where on its volume a file's first block lies if other files share it; else None.

    Two files of one content with one such place are clones: one of them is as large as both.
    """
    if sys.platform != "linux" or not _volume_shares(facts.st_dev):
        return None
    import fcntl

    request = _HEADER.pack(0, facts.st_size, _FLUSH_FIRST, 0, 1, 0) + bytes(_EXTENT.size)
    try:
        answer = fcntl.ioctl(descriptor, _FS_IOC_FIEMAP, request)
    except OSError as error:
        if error.errno in (errno.EOPNOTSUPP, errno.ENOTTY, errno.EINVAL):
            return None
        raise
    _, physical, _, _, _, flags, *_ = _EXTENT.unpack_from(answer, _HEADER.size)
    return physical if flags & _SHARED else None


def extent_of(path: bytes) -> int | None:
    """Return `shared_extent` of the file at a path; raises OSError if it cannot be opened."""
    descriptor = open_path(path, FILE)
    try:
        return shared_extent(descriptor, os.fstat(descriptor))
    finally:
        os.close(descriptor)


@cache
def _volume_shares(device: int) -> bool:
    import psutil

    for part in psutil.disk_partitions(all=True):
        try:
            if part.fstype in _SHARING and os.stat(part.mountpoint).st_dev == device:
                return True
        except OSError:
            continue
    return False
