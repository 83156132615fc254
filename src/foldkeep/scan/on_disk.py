"""Looks at single folders and files, for what the stock does not keep: links, empty folders, tags, last use, room."""

import os
from collections.abc import Iterator

from foldkeep.model import PathBytes
from foldkeep.storage.local.reading import FILE, clamped_ns, facts_at, open_path

_CACHE_TAG = b"Signature: 8a477f597d28d172789f06886806bc55"  # Cache Directory Tagging Specification 0.6


def links_below(top: PathBytes) -> Iterator[PathBytes]:
    """Yield the symbolic links below a folder; what cannot be looked into is passed by."""
    ahead = [top]
    while ahead:
        try:
            with os.scandir(ahead.pop()) as entries:
                for entry in entries:
                    if entry.is_symlink():
                        yield entry.path
                    elif entry.is_dir(follow_symlinks=False):
                        ahead.append(entry.path)
        except OSError:
            continue


def is_bare(folder: PathBytes) -> bool:
    """Tell whether a folder holds nothing but folders that hold nothing."""
    try:
        with os.scandir(folder) as entries:
            return all(entry.is_dir(follow_symlinks=False) and is_bare(entry.path) for entry in entries)
    except FileNotFoundError:
        return True
    except OSError:
        return False


def is_cache_tag(path: PathBytes) -> bool:
    """Tell whether a file begins with the signature of the Cache Directory Tagging Specification."""
    try:
        with open(open_path(path, FILE), "rb") as stream:
            return stream.read(len(_CACHE_TAG)) == _CACHE_TAG
    except OSError:
        return False


def last_use_ns(path: PathBytes) -> int:
    """Return when a file was last read or written, in nanoseconds since the epoch; OSError if it is not there."""
    facts = facts_at(path)
    return clamped_ns(max(facts.st_atime_ns, facts.st_mtime_ns))


def room_on(folder: PathBytes) -> tuple[int, int]:
    """Return the bytes that the volume of a folder has, and those free to its user; OSError if it is not there."""
    facts = os.statvfs(folder)
    return facts.f_blocks * facts.f_frsize, facts.f_bavail * facts.f_frsize
