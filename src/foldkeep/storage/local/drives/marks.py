"""The mark of a place: a small file in its fold that tells which place it is, wherever its drive is mounted.

It holds one JSON object, ``{"place": "urn:uuid:…", "stays": false}`` (RFC 9562). One that a fold made goes when
nothing waits in the fold any more; one that was asked for stays.
"""

import json
import os
import stat
from contextlib import suppress

from foldkeep.model.names import FOLD_NAME

from ..changes.flushing import flush
from ..changes.folders import keeping_times
from ..reading.opening import FILE, FOLDER, facts_of, open_below

MARK_NAME = b"place"
_MOST = 4096
_BEGINNING = b'{"place": "urn:uuid:'
_NEW_FILE = os.O_WRONLY | os.O_CREAT | os.O_EXCL | os.O_NOFOLLOW | os.O_CLOEXEC


def new_mark() -> str:
    """Return a mark that no other place has."""
    from uuid import uuid4

    return str(uuid4())


def mark_of(place: bytes) -> str:
    """Return the mark that the fold of a folder carries; empty if it has none, or none that can be read."""
    with suppress(OSError):
        descriptor = open_below(place, os.path.join(FOLD_NAME, MARK_NAME), FILE)
        try:
            if stat.S_ISREG(os.fstat(descriptor).st_mode):
                return _parsed(os.read(descriptor, _MOST))[0]
        finally:
            os.close(descriptor)
    return ""


def write_mark(place: bytes, mark: str, *, stays: bool) -> None:
    """Write the mark of a place into its fold, which is made if need be; one that says the same is left as it is.

    Parameters
    ----------
    stays
        Whether it is there for good, and not as long as something waits in the fold.

    Raises
    ------
    OSError
        If it cannot be written, or another program's file has its name.
    """
    top = os.open(place, FOLDER & ~os.O_NOFOLLOW)
    try:
        with keeping_times(top), suppress(FileExistsError):
            os.mkdir(FOLD_NAME, 0o700, dir_fd=top)
        fold = os.open(FOLD_NAME, FOLDER, dir_fd=top)
        try:
            known, known_stays = _parsed(_text(fold))
            if known == mark and known_stays >= stays:
                return
            if is_our_mark(fold):
                os.unlink(MARK_NAME, dir_fd=fold)
            _write(fold, {"place": f"urn:uuid:{mark}", "stays": stays})
            flush(fold)
        finally:
            os.close(fold)
    finally:
        os.close(top)


def is_our_mark(fold: int) -> bool:
    """Tell whether an open fold has a mark that Fold Keep wrote, or began to write."""
    if facts_of(fold, MARK_NAME) is None:
        return False
    text = _text(fold)
    return text is not None and (text.startswith(_BEGINNING) or _BEGINNING.startswith(text))


def mark_stays(fold: int) -> bool:
    """Tell whether an open fold has a mark that is there for good."""
    return _parsed(_text(fold))[1]


def _write(fold: int, told: dict[str, object]) -> None:
    descriptor = os.open(MARK_NAME, _NEW_FILE, 0o644, dir_fd=fold)
    try:
        os.write(descriptor, json.dumps(told).encode())
        flush(descriptor)
    finally:
        os.close(descriptor)


def _text(fold: int) -> bytes | None:
    """Return the beginning of a mark; None where there is none, or no regular file."""
    with suppress(OSError):
        descriptor = os.open(MARK_NAME, FILE, dir_fd=fold)
        try:
            return os.read(descriptor, _MOST) if stat.S_ISREG(os.fstat(descriptor).st_mode) else None
        finally:
            os.close(descriptor)
    return None


def _parsed(text: bytes | None) -> tuple[str, bool]:
    """Return the mark that a text gives, empty if it gives none, and whether it stays."""
    with suppress(ValueError, RecursionError):
        told = json.loads(text or b"")
        if isinstance(told, dict) and isinstance(told.get("place"), str):
            from uuid import UUID

            return str(UUID(told["place"])), told.get("stays") is True
    return "", False
