"""One Fold Keep at a time changes a place on a server: the lock is a file that must not exist when it is written."""

import json
import secrets
import time
from collections.abc import Iterable, Iterator
from contextlib import ExitStack, contextmanager, suppress

from foldkeep.model import PathBytes
from foldkeep.model.errors import PlaceBusy
from foldkeep.model.names import FOLD_NAME

from ..holders import Told, counted, is_alive, is_here, is_mine, signature, words_of
from ..local.drives import LOCK_NAME
from .connecting import remote_storage
from .errors import RemoteError, ServerGone, TryLater
from .own_files import make_folder, remove_empty, whole, write_surely
from .protocol import RemoteStorage

_WAIT_SECONDS = 5.0

_held: dict[PathBytes, int] = {}
"""Places that this process holds, with how many times it does."""


@contextmanager
def hold_remote_places(
    places: Iterable[PathBytes], work: str, wait_seconds: float | None = None, *, break_lock: bool = False
) -> Iterator[None]:
    """Keep every other Fold Keep from changing these places on servers until the block ends.

    Parameters and errors are those of `foldkeep.storage.local.drives.hold_places`; OSError if one cannot be written.
    """
    seconds = _WAIT_SECONDS if wait_seconds is None else wait_seconds
    with ExitStack() as held:
        for place in sorted(set(places)):
            held.enter_context(_hold(place, work, seconds, break_lock))
        yield


@contextmanager
def _hold(place: PathBytes, work: str, wait_seconds: float, break_lock: bool) -> Iterator[None]:
    text = b"" if place in _held else _taken(place, work, wait_seconds, break_lock)
    try:
        with counted(_held, place):
            yield
    finally:
        if text:
            _give_back(place, text)


def _taken(place: PathBytes, work: str, wait_seconds: float, break_lock: bool) -> bytes:
    """Take the lock of a place and return what stands in it; nothing if nothing can be written there."""
    storage, fold = remote_storage(place), place + b"/" + FOLD_NAME
    text = json.dumps({**signature(work), "nonce": secrets.token_hex(8)}).encode()
    until = time.monotonic() + wait_seconds
    while True:
        try:
            make_folder(storage, fold)
            write_surely(storage, fold + b"/" + LOCK_NAME, text)
        except (FileExistsError, FileNotFoundError):  # taken; or whoever held it took the fold away
            pass
        except (ServerGone, TryLater):
            raise
        except (PermissionError, RemoteError):  # where nothing can be written, nothing can be changed
            return b""
        else:
            return text
        is_late = time.monotonic() >= until
        advice = _holder(storage, place, break_lock, speaks_not_for_long=is_late)
        if advice is not None and is_late:
            raise PlaceBusy(*advice)
        time.sleep(0.1)


def _holder(
    storage: RemoteStorage, place: PathBytes, break_lock: bool, *, speaks_not_for_long: bool
) -> tuple[str, str] | None:
    """Return who holds a place, and what to do; take the lock of a dead one away and return None.

    One that says nothing for as long as is waited is none of ours, which are written in one go.
    """
    path = place + b"/" + FOLD_NAME + b"/" + LOCK_NAME
    try:
        facts = storage.facts(path)
        text = whole(storage, path)
    except FileNotFoundError:
        return None
    told = _told(text)
    if facts is None:
        return None
    is_mute = not told and speaks_not_for_long
    if break_lock or is_mute or is_mine(told) or (is_here(told) and not is_alive(told)):
        _replace(storage, path, facts.etag, text)
        return None
    words = "wait until that is done, or stop it"
    return words_of(place, told), words if is_here(told) else "if nothing works there any more, say --break-lock"


def _replace(storage: RemoteStorage, path: PathBytes, etag: str, text: bytes) -> None:
    """Take a dead lock away, so that exactly one of those who want it makes the new one."""
    dead = path + b"-" + secrets.token_hex(8).encode()
    with suppress(OSError):
        storage.move(path, dead, etag)
        if whole(storage, dead) == text:
            storage.remove(dead)
        else:
            storage.move(dead, path)


def _told(text: bytes) -> Told:
    with suppress(ValueError, RecursionError):
        told = json.loads(text)
        if isinstance(told, dict):
            return told
    return {}


def _give_back(place: PathBytes, text: bytes) -> None:
    """Take our lock away, and the fold if nothing else is in it; what fails is left for the next one."""
    storage, fold = remote_storage(place), place + b"/" + FOLD_NAME
    with suppress(OSError):
        facts = storage.facts(fold + b"/" + LOCK_NAME)
        if facts is not None and whole(storage, fold + b"/" + LOCK_NAME) == text:
            storage.remove(fold + b"/" + LOCK_NAME, facts.etag)
        remove_empty(storage, fold)
