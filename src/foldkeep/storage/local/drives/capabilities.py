"""What a volume can do and what it cannot hold, tried out in a folder of our own that goes again."""

import fcntl
import os
from collections.abc import Iterator
from contextlib import contextmanager, suppress

from foldkeep.model.volumes import SPECIAL, Capabilities, Limits, Way

from ..changes.copying import FICLONE
from ..changes.folders import keeping_times, take_away
from ..changes.names import way_of_moving
from ..reading.opening import FOLDER
from .volumes import keeps_inodes, keeps_local_time, largest_file, takes_all_names

PROBE = b".foldkeep-probe"
"""Name of the folder in which it is tried out what a volume can do."""

_PROBES = (b"probe", b"probe-2")
_A_TIME = 1_234_567_891_123_456_789  # of an odd second, and of some of each smaller unit
_TICKS = (1, 100, 1_000, 1_000_000, 10_000_000, 1_000_000_000, 2_000_000_000)
_IN_TWO_FORMS = ("\u00e9".encode(), "e\u0301".encode())
_NEW = os.O_RDWR | os.O_CREAT | os.O_EXCL | os.O_CLOEXEC


def limits_of(folder: bytes) -> Limits:
    """Return what names and files the volume of a folder takes; tried out unless it is known to take all.

    Where nothing can be written nothing is limited: that is said elsewhere.
    """
    device = os.stat(folder).st_dev
    if takes_all_names(folder, device):
        return Limits()
    largest = largest_file(folder, device)
    with _probe_in(folder) as probe:
        return _tried_out(probe, largest) if probe else Limits(largest=largest)


def capabilities_of(folder: bytes) -> Capabilities | None:
    """Return what the volume of a folder can do; None where nothing can be written."""
    device = os.stat(folder).st_dev
    with _probe_in(folder) as probe:
        if not probe:
            return None
        descriptor = os.open(probe, FOLDER)
        try:
            way = way_of_moving(descriptor, _PROBES)
            return Capabilities(
                way=way,
                links=way is Way.LINK or _has_links(descriptor),
                clones=_has_clones(descriptor),
                keeps_inodes=keeps_inodes(folder, device),
                tick_ns=_tick(descriptor),
                shifts_times=keeps_local_time(folder, device),
                limits=_tried_out(probe, largest_file(folder, device)),
            )
        finally:
            os.close(descriptor)


@contextmanager
def _probe_in(folder: bytes) -> Iterator[bytes]:
    """Make a folder of our own, and take it away after the block; an empty path where none can be made."""
    probe = os.path.join(folder, PROBE)
    try:
        top = os.open(folder, FOLDER & ~os.O_NOFOLLOW)
    except OSError:
        yield b""
        return
    try:
        with keeping_times(top):
            try:
                if os.path.lexists(probe):  # of one that was killed
                    take_away(probe)
                os.mkdir(probe, 0o700)
            except OSError:
                probe = b""
            try:
                yield probe
            finally:
                if probe:
                    take_away(probe)
    finally:
        os.close(top)


def _tried_out(probe: bytes, largest: int) -> Limits:
    composed, decomposed = _IN_TWO_FORMS
    return Limits(
        special=all(_takes(probe, b"a" + char.encode() + b"b") for char in SPECIAL),
        trailing=_takes(probe, b"a.") and _takes(probe, b"a "),
        reserved=_takes(probe, b"con") and _takes(probe, b"lpt1.txt"),
        undecodable=_takes(probe, b"a\xff"),
        in_units=_takes(probe, "ü".encode() * 200),
        has_case=_takes(probe, b"case") and not os.path.lexists(os.path.join(probe, b"CASE")),
        keeps_forms=_takes(probe, composed) and _takes(probe, decomposed),
        largest=largest,
    )


def _takes(folder: bytes, name: bytes) -> bool:
    """Tell whether a file can be made under a name, and has just that."""
    with suppress(OSError):
        os.close(os.open(os.path.join(folder, name), _NEW, 0o600))
        return name in os.listdir(folder)
    return False


def _has_links(folder: int) -> bool:
    with suppress(OSError):
        os.close(os.open(b"linked", _NEW, 0o600, dir_fd=folder))
        os.link(b"linked", b"linked-2", src_dir_fd=folder, dst_dir_fd=folder)
        one, other = (os.stat(name, dir_fd=folder, follow_symlinks=False) for name in (b"linked", b"linked-2"))
        return os.path.samestat(one, other)
    return False


def _has_clones(folder: int) -> bool:
    with suppress(OSError):
        descriptors: list[int] = []
        try:
            for name in (b"clone", b"clone-2"):
                descriptors.append(os.open(name, _NEW, 0o600, dir_fd=folder))
            os.write(descriptors[0], b"kite" * 1024)
            fcntl.ioctl(descriptors[1], FICLONE, descriptors[0])
            return True
        finally:
            for descriptor in descriptors:
                os.close(descriptor)
    return False


def _tick(folder: int) -> int:
    """Return the coarsest unit that a time loses nothing by but what the volume takes from it."""
    name = b"time"
    os.close(os.open(name, _NEW, 0o600, dir_fd=folder))
    os.utime(name, ns=(_A_TIME, _A_TIME), dir_fd=folder, follow_symlinks=False)
    kept = os.stat(name, dir_fd=folder, follow_symlinks=False).st_mtime_ns
    return max((tick for tick in _TICKS if kept % tick == 0), default=1)
