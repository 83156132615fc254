"""Whether somebody works with files now."""

import os
import time
from collections.abc import Iterable
from fnmatch import fnmatch

from foldkeep.storage.local.reading import facts_at, modified_ns

_HOURS = 6
_LOCKS = ("*.lock", "*.lck", ".~lock.*", "~$*", ".#*")


def open_files() -> dict[bytes, str]:
    """Return the files that other processes have open, by path, each with the name and number of one that has.

    Those of processes of other users are known only to the system's administrator.
    """
    import psutil

    found: dict[bytes, str] = {}
    for process in psutil.process_iter():
        if process.pid == os.getpid():
            continue
        try:
            for file in process.open_files():
                found.setdefault(os.fsencode(file.path), f"{process.name()} ({process.pid})")
        except (psutil.Error, OSError):
            continue
    return found


def sign_of_work(documents: Iterable[bytes], now_ns: int | None = None) -> str:
    """Return what shows that somebody works on a project, by its documents; empty if nothing does.

    That is a lock file beside one of them, or that one changed in the last hours.
    """
    now = time.time_ns() if now_ns is None else now_ns
    documents = list(documents)
    for folder in dict.fromkeys(os.path.dirname(document) for document in documents):
        try:
            names = sorted(os.listdir(folder))
        except OSError:
            continue
        for name in names:
            if any(fnmatch(os.fsdecode(name), glob) for glob in _LOCKS):
                return f"a lock file lies beside its project: {os.fsdecode(os.path.join(folder, name))}"
    for document in documents:
        try:
            modified = modified_ns(facts_at(document))
        except OSError:
            continue
        if now - modified < _HOURS * 3600 * 1_000_000_000:
            return f"its project changed in the last {_HOURS} hours: {os.fsdecode(document)}"
    return ""
