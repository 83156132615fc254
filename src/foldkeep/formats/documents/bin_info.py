"""What a desktop writes down of a file that went into its bin (freedesktop.org Trash specification 1.0)."""

import re
import time
from typing import NamedTuple
from urllib.parse import unquote_to_bytes

from foldkeep.model import PathBytes

LONGEST_BIN_INFO = 64 * 1024
"""Bytes that are read of one; a path has at most 4,096, percent-encoded three times as many."""

_MOMENT = re.compile(rb"(\d{4})-(\d\d)-(\d\d)T(\d\d):(\d\d):(\d\d)")


class BinInfo(NamedTuple):
    """What is known of something in a bin.

    Attributes
    ----------
    path
        Where it was: absolute, or relative to the folder that has the bin; empty if that cannot be told.
    deleted_ns
        When it went there, nanoseconds since the epoch; None if that cannot be told.
    """

    path: PathBytes
    deleted_ns: int | None


def read_bin_info(content: bytes) -> BinInfo:
    """Return what the content of a ``.trashinfo`` file tells; whatever it lacks or has wrong is not known."""
    found: dict[bytes, bytes] = {}
    is_ours = False
    for line in content[:LONGEST_BIN_INFO].splitlines():
        line = line.strip()
        if line.startswith(b"["):
            is_ours = line == b"[Trash Info]"
        key, equals, value = line.partition(b"=")
        if is_ours and equals:
            found.setdefault(key.strip(), value.strip())  # of several the first counts
    path = unquote_to_bytes(found.get(b"Path", b""))
    if b"\0" in path or b".." in path.split(b"/"):
        path = b""
    return BinInfo(path, _moment(found.get(b"DeletionDate", b"")))


def _moment(text: bytes) -> int | None:
    """Return the moment of a date and time by the clock on the wall here."""
    match = _MOMENT.match(text)
    if match is None:
        return None
    year, month, day, hour, minute, second = map(int, match.groups())
    try:
        return round(time.mktime((year, month, day, hour, minute, second, 0, 0, -1))) * 1_000_000_000
    except (OverflowError, ValueError):
        return None
