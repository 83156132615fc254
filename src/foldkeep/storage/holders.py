"""Who holds a place: what a lock says of computer, boot, process and start, so that a dead holder can be told."""

import os
import socket
import time
from collections.abc import Iterator
from contextlib import contextmanager

from foldkeep.model import PathBytes, visible
from foldkeep.model.units import format_span

_BOOT_FILE = "/proc/sys/kernel/random/boot_id"

Told = dict[str, object]
"""What a lock says of its holder; nothing where it is empty, or not ours."""


def signature(work: str) -> Told:
    """Return what this process writes into a lock while it does some work."""
    return {
        "work": work,
        "process": os.getpid(),
        "start": _start_of(os.getpid()),
        "host": socket.gethostname(),
        "boot": _boot(),
        "since": time.time(),
    }


@contextmanager
def counted(held: dict[PathBytes, int], place: PathBytes) -> Iterator[None]:
    """Count a place among those that this process holds while the block lasts."""
    held[place] = held.get(place, 0) + 1
    try:
        yield
    finally:
        held[place] -= 1
        if not held[place]:
            del held[place]


def words_of(place: PathBytes, told: Told) -> str:
    """Return in words who holds a place."""
    if not told:
        return f"{visible(place)} is held by another program"
    who = f"foldkeep {told.get('work', '')}".rstrip()
    if told.get("host") and told.get("host") != socket.gethostname():
        who += f" on {told['host']}"
    since = told.get("since")
    age = f", since {format_span(time.time() - since)} ago" if isinstance(since, (int, float)) else ""
    return f"{visible(place)} is held by {who}, process {told.get('process', 'unknown')}{age}"


def is_here(told: Told) -> bool:
    """Tell whether a holder works, or worked, on this computer since it was last started."""
    return (told.get("host"), told.get("boot")) == (socket.gethostname(), _boot())


def is_mine(told: Told) -> bool:
    """Tell whether this process is the holder."""
    return is_here(told) and told.get("process") == os.getpid() and is_alive(told)


def is_alive(told: Told) -> bool:
    """Tell whether a holder on this computer still runs."""
    process = told.get("process")
    return isinstance(process, int) and (start := _start_of(process)) != "" and start == told.get("start")


def _start_of(process: int) -> str:
    """Return what tells a process from a later one of its number; empty if there is none."""
    try:
        import psutil

        return f"{psutil.Process(process).create_time():.2f}"
    except (ImportError, psutil.Error):
        return ""


def moment() -> tuple[int, str, int]:
    """Return the time by the clock, which start of this computer it is (empty where that is not told), and how long ago
    that was, sleep included; nanoseconds.
    """
    clock = getattr(time, "CLOCK_BOOTTIME", time.CLOCK_MONOTONIC)
    return time.time_ns(), _boot(), time.clock_gettime_ns(clock)


def _boot() -> str:
    """Return what tells this start of the computer from others; empty where the system does not say."""
    try:
        with open(_BOOT_FILE, encoding="ascii") as file:
            return file.read().strip()
    except OSError:
        return ""
