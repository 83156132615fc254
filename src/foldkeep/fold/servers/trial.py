"""Trying a server out before anything is changed, with files of our own in a folder of our own."""

from collections.abc import Callable, Iterable
from contextlib import suppress
from typing import NamedTuple

from foldkeep.model import PathBytes, UnusableInput, visible
from foldkeep.model.remote import server_of
from foldkeep.storage.remote import (
    NotTheFile,
    RemoteStorage,
    make_folder,
    remote_storage,
    remove_empty,
    whole,
    write_surely,
)

from ..removing.own import discard_afar
from ..vault import PROBE_TEXT
from .fence import FENCE

PROBES = (b"probe", b"probe-2", b"probe-3")
_PREFIX = b"probe"
_PLAIN = frozenset(
    b"ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789 !'(),-./_~" + bytes(range(0x80, 0x100))
)
"""Bytes of names that have no meaning in addresses (RFC 3986) and headers; others a server may misread."""


class Trial(NamedTuple):
    """What was found out of a server.

    Attributes
    ----------
    honours_conditions
        Whether it moves and deletes only what has the entity tag that it is told.
    misread
        Bytes that it reads otherwise in the name that something is to be moved to.
    """

    honours_conditions: bool = False
    misread: frozenset[int] = frozenset()

    def refusal(self, *paths: PathBytes) -> str:
        """Return why a file with these paths must stay; empty if it need not."""
        found = bytes(sorted(self.misread.intersection(_names(paths))))
        return f"its server misreads {visible(found)} in names, and would bring it back under another" if found else ""


def _names(paths: Iterable[PathBytes]) -> bytes:
    """Return the bytes of all names on paths; the address of the server, which has a colon, is no name."""
    return b"".join(path[len(server_of(path)) :] for path in paths if path)


def try_out(storage: RemoteStorage, folder: PathBytes, names: Iterable[PathBytes], where: PathBytes) -> Trial:
    """Find out whether a server overwrites, honours conditions, and reads names as they are.

    Parameters
    ----------
    folder
        A folder of our own, in which nothing else lies.
    names
        The paths that something is to be moved to later.
    where
        The place that is told of.

    Raises
    ------
    UnusableInput
        If the server overwrites what is there: then it can be looked at, but nothing be changed.
    OSError
        If it does not let us.
    """
    one, two, three = (b"/".join((folder, name)) for name in PROBES)
    _drop_probes(storage, folder)
    write_surely(storage, one, PROBE_TEXT)
    write_surely(storage, two, FENCE)
    try:
        changes: tuple[Callable[[], None], ...] = (
            lambda: storage.write_new(one, [FENCE], len(FENCE)), lambda: storage.move(one, two),
        )  # fmt: skip
        for change in changes:
            try:
                change()
            except FileExistsError:
                continue
            raise _refused(where, "overwrites what is there")
        if (whole(storage, one), whole(storage, two)) != (PROBE_TEXT, FENCE):
            raise _refused(where, "changes what it refuses to change")
        honours = _honours(storage, one, two, three)
        special = frozenset(_names(names)) - _PLAIN
        return Trial(honours, _misread(storage, folder, special) if special else frozenset())
    finally:
        _drop_probes(storage, folder)


def try_out_target(target: PathBytes, key: str, names: Iterable[PathBytes]) -> Trial:
    """Try the server out that files are brought to; raise as `try_out` does, and leave nothing of ours there."""
    storage, folder = remote_storage(target), b"%s/.foldkeep-trial-%s" % (target, key.encode())
    make_folder(storage, folder)
    try:
        return try_out(storage, folder, names, target)
    finally:
        with suppress(OSError):
            remove_empty(storage, folder)


def _refused(where: PathBytes, why: str) -> UnusableInput:
    return UnusableInput(
        f"nothing can be put away or brought to {visible(where)}: its server {why}",
        "it can be looked at; nothing was changed but files of our own",
    )


def _honours(storage: RemoteStorage, one: PathBytes, two: PathBytes, three: PathBytes) -> bool:
    facts = storage.facts(one)
    if facts is None or not facts.etag:
        return False
    wrong = '"no-file-has-this"'
    changes: tuple[Callable[[], None], ...] = (
        lambda: storage.move(one, three, wrong), lambda: discard_afar(storage, two, wrong),
    )  # fmt: skip
    for change in changes:
        try:
            change()
        except NotTheFile:
            continue
        return False
    return True


def _misread(storage: RemoteStorage, folder: PathBytes, special: frozenset[int]) -> frozenset[int]:
    """Return those bytes of names that a server does not keep; all of them if it keeps each, but not together."""
    if _keeps(storage, folder, bytes(sorted(special))):
        return frozenset()
    return frozenset(each for each in special if not _keeps(storage, folder, bytes([each]))) or special


def _keeps(storage: RemoteStorage, folder: PathBytes, special: bytes) -> bool:
    """Tell whether a file that is moved to a name with some bytes has that name then."""
    _drop_probes(storage, folder)
    one, there = folder + b"/" + PROBES[0], folder + b"/" + _PREFIX + special + b"x"
    write_surely(storage, one, PROBE_TEXT)
    try:
        storage.move(one, there)
        return [each.name for each in storage.files(folder)] == [there.rpartition(b"/")[2]]
    except OSError:
        return False


def _drop_probes(storage: RemoteStorage, folder: PathBytes) -> None:
    for each in storage.files(folder):
        if each.name.startswith(_PREFIX) and not each.is_folder:
            with suppress(FileNotFoundError):
                discard_afar(storage, folder + b"/" + each.name)
