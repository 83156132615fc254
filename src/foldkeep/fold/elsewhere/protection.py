"""Files that a machine has vouched for: they stay until that ends, whatever stock asks.

What is vouched for stands in the fold of its place, a file for each time: JSON Lines, the first of which tells what it
is, each further one a file, and the last one that it is whole: what was begun and never ended protects nothing, since
nobody was told of it.
"""

import errno
import json
import os
import secrets
import stat
import time
from collections.abc import Iterable, Iterator
from contextlib import suppress
from typing import NamedTuple

from foldkeep.model import PathBytes, Problem, UnusableInput, visible
from foldkeep.model.names import FOLD_NAME, file_uri, folders_above, path_from_uri
from foldkeep.model.remote import is_remote
from foldkeep.model.units import format_moment
from foldkeep.model.work import reason_of
from foldkeep.stock import Stock
from foldkeep.storage.local.changes import flush, keeping_times, write_content
from foldkeep.storage.local.reading import FOLDER, open_in, open_path, open_top

from ..places import hold_around
from ..removing.own import discard
from ..vault import tidy

_START, _END = "vouched-", ".jsonl"
_FORMAT, _VERSION = "foldkeep vouched", 1
_LARGEST = 256 * 1024 * 1024
_WHOLE = b'{"whole": true}\n'
_SHOWN = 16  # digits of a digest in a name


class Protection(NamedTuple):
    """Files of one place that were vouched for together.

    Attributes
    ----------
    place
        The place that they lie in.
    docket
        Digest of the docket whose keepers they are.
    until_ns
        Before that it cannot be ended: somebody may rely on it to delete the last other copy.
    made_ns
        When it was made, nanoseconds since the epoch.
    paths
        Where they lie.
    name
        What its file in the fold is called; empty before it is written.
    """

    place: PathBytes
    docket: bytes
    until_ns: int
    made_ns: int
    paths: frozenset[PathBytes]
    name: str = ""


class Protections:
    """What is vouched for where paths lie; each fold is looked into once."""

    def __init__(self) -> None:
        self._known: dict[PathBytes, list[Protection]] = {}

    def of(self, path: PathBytes) -> Protection | None:
        """Return what a path is vouched for by; None if it is not. OSError if that cannot be read."""
        for folder in folders_above(path):
            if folder not in self._known:
                self._known[folder] = list(protections_in(folder))
            for protection in self._known[folder]:
                if path in protection.paths:
                    return protection
        return None


def protections_in(place: PathBytes) -> Iterator[Protection]:
    """Yield what is vouched for in a place; OSError if its fold has what cannot be read, so that nobody knows."""
    try:
        fold = open_path(os.path.join(place, FOLD_NAME), FOLDER)
    except (FileNotFoundError, NotADirectoryError):
        return
    except PermissionError:  # of somebody else, who cannot have vouched for what is mine
        return
    try:
        names = [name for name in os.listdir(fold) if name.startswith(_START) and name.endswith(_END)]
        for name in sorted(names):
            with suppress(FileNotFoundError):  # it ended just now
                text = _text(fold, name)
                if text.endswith(_WHOLE):
                    yield _parsed(place, name, text)
    finally:
        os.close(fold)


def _text(fold: int, name: str) -> bytes:
    descriptor = open_in(fold, name)
    with open(descriptor, "rb") as file:
        if not stat.S_ISREG(os.fstat(descriptor).st_mode):
            raise OSError(errno.EINVAL, f"{name} in its fold is no file")
        return file.read(_LARGEST)


def _parsed(place: PathBytes, name: str, text: bytes) -> Protection:
    """Return what a text protects; OSError if it makes no sense, so that nobody knows."""
    try:
        first, *rest = map(json.loads, text.removesuffix(_WHOLE).splitlines())
        if first["format"] != _FORMAT or first["version"] != _VERSION:
            raise ValueError("another format")
        paths = frozenset(place.rstrip(b"/") + path_from_uri(line["uri"]) for line in rest)
        until_ns, made_ns = int(first["until_ns"]), int(first["made_ns"])
        return Protection(place, bytes.fromhex(first["docket"]), until_ns, made_ns, paths, name)
    except (ValueError, KeyError, TypeError, AttributeError, OverflowError, RecursionError) as error:
        path = os.path.join(place, FOLD_NAME, os.fsencode(name))
        why = f"what is vouched for cannot be read: {visible(path)}; take it away if it is not yours"
        raise OSError(errno.EINVAL, why) from error


def protect(protection: Protection) -> None:
    """Write down that files are vouched for, and bring that to the disk. OSError if it cannot be written."""
    below = len(protection.place.rstrip(b"/"))
    head = {
        "format": _FORMAT, "version": _VERSION, "docket": protection.docket.hex(), "until_ns": protection.until_ns,
        "made_ns": protection.made_ns,
    }  # fmt: skip
    lines = [head, *({"uri": file_uri(path[below:])} for path in sorted(protection.paths))]
    text = b"".join(json.dumps(line).encode() + b"\n" for line in lines) + _WHOLE
    name = f"{_START}{protection.docket.hex()[:_SHOWN]}-{secrets.token_hex(4)}"
    top = open_top(protection.place)
    try:
        with keeping_times(top):
            with suppress(FileExistsError):
                os.mkdir(FOLD_NAME, 0o700, dir_fd=top)
            flush(top)
        fold = open_in(top, FOLD_NAME, FOLDER)
        try:
            write_content([text], None, fold, os.fsencode(name + _END))
            flush(fold)
        finally:
            os.close(fold)
    finally:
        os.close(top)


def _end(protection: Protection) -> None:
    """Take away that files are vouched for, and the fold if nothing else is in it. OSError if it cannot be."""
    top = open_top(protection.place)
    try:
        fold = open_in(top, FOLD_NAME, FOLDER)
        try:
            discard(os.fsencode(protection.name), fold)
            flush(fold)
        finally:
            os.close(fold)
    finally:
        os.close(top)
    tidy(protection.place, "")


def protected(stock: Stock) -> tuple[list[Protection], list[Problem]]:
    """Return what is vouched for in the places that are here, the latest first, and what could not be read of that."""
    found: list[Protection] = []
    problems = []
    for place in stock.places.all():
        try:
            found += () if is_remote(place.path) else protections_in(place.path)
        except OSError as error:
            problems.append(Problem(place.path, reason_of(error)))
    return sorted(found, key=lambda each: -each.made_ns), problems


def end_protection(stock: Stock, protections: Iterable[Protection], *, break_lock: bool = False) -> None:
    """Protect files no more.

    Raises
    ------
    UnusableInput
        If another machine may be about to delete its copies for them, or what protects them cannot be taken away.
    PlaceBusy
        If somebody is at work in one of their places.
    """
    protections = list(protections)
    until_ns = max((each.until_ns for each in protections), default=0)
    if time.time_ns() < until_ns:
        then = format_moment(until_ns // 10**9 * 10**9)
        raise UnusableInput("another machine may just be releasing its copies of them", f"end that after {then}")
    with hold_around(stock, {each.place for each in protections}, "vouch", break_lock=break_lock):
        for each in protections:
            try:
                _end(each)
            except OSError as error:
                why = f"cannot take away what protects files in {visible(each.place)}: {reason_of(error)}"
                raise UnusableInput(why, "mend that, and try again") from error
