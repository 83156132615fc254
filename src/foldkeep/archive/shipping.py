"""Packages on servers: made and read back here, brought there file by file, read back there, and only then named."""

import errno
import os
import secrets
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import replace

from foldkeep.fold.servers import try_out_target
from foldkeep.model import PathBytes, Progress, Step, UnusableInput, no_progress, visible
from foldkeep.model.remote import is_remote
from foldkeep.model.work import reason_of
from foldkeep.storage.local.reading import NotSafe
from foldkeep.storage.remote import RemoteStorage, bring, fetch, remote_storage

from .archiving import MadePackage

_UNFINISHED = b".unfinished"


def check_server_folder(target: PathBytes) -> None:
    """Raise UnusableInput if a path on a server is no folder that is there, or the server overwrites what is there."""
    try:
        facts = remote_storage(target).facts(target)
        if facts is None or not facts.is_folder:
            raise UnusableInput(f"there is no folder {visible(target)}", "name one that is there, or make it")
        try_out_target(target, secrets.token_hex(4), ())
    except OSError as error:
        raise UnusableInput(f"{visible(target)}: {reason_of(error)}", "see to it, or name another folder") from error


def ship(made: MadePackage, target: PathBytes, progress: Progress = no_progress) -> MadePackage:
    """Bring a package that was made here into a folder on a server, and return it with the path that it has there.

    It grows under a name of its own, is read back from the server, and then gets its name by a move that cannot
    overwrite. An interrupted one goes on with what is there. The package here stays.

    Raises UnusableInput if it cannot be brought there, or its name is taken; the package here stays, then.
    """
    name = os.path.basename(made.path)
    final = target + b"/" + name
    growing = target + b"/" + name + b"." + made.key[:8].encode() + _UNFINISHED
    storage = remote_storage(target)
    done = 0

    def told(size: int) -> None:
        nonlocal done
        done += size
        progress(Step("Bringing it to the server", done, None, "bytes"))

    try:
        _check_free(storage, final)
        bring(storage, made.path, growing, told)
        _name(storage, growing, final)
    except FileExistsError as error:
        raise UnusableInput(
            f"cannot bring {visible(made.path)} to {visible(target)}: {reason_of(error)}",
            "name another folder; the package waits here, whole",
        ) from error
    except (NotSafe, OSError) as error:
        raise UnusableInput(
            f"cannot bring {visible(made.path)} to {visible(target)}: {reason_of(error)}",
            "it waits here, whole; run the same again to go on",
        ) from error
    return replace(made, path=final)


def _check_free(storage: RemoteStorage, path: PathBytes) -> None:
    if storage.facts(path) is not None:
        raise FileExistsError(17, f"{visible(os.path.basename(path))} is there already")


def _name(storage: RemoteStorage, growing: PathBytes, final: PathBytes) -> None:
    try:
        storage.move(growing, final)
    except OSError:
        if storage.facts(growing) is not None or storage.facts(final) is None:
            raise
    if storage.facts(final) is None:
        raise OSError(errno.EIO, f"the server did not give it the name {visible(os.path.basename(final))}")


@contextmanager
def packages_here(paths: list[PathBytes], progress: Progress = no_progress) -> Iterator[list[PathBytes]]:
    """Fetch those packages that lie on servers into a folder for the time of the block; yield where all lie here.

    Raises UnusableInput if one cannot be fetched.
    """
    with tempfile.TemporaryDirectory(prefix="foldkeep-") as folder:
        yield [
            _fetched(path, os.fsencode(folder), number, progress) if is_remote(path) else path
            for number, path in enumerate(paths)
        ]


def _fetched(path: PathBytes, folder: PathBytes, number: int, progress: Progress) -> PathBytes:
    into = os.path.join(folder, b"%d" % number)
    os.mkdir(into)
    done = 0

    def told(size: int) -> None:
        nonlocal done
        done += size
        progress(Step("Fetching", done, None, "bytes"))

    try:
        fetch(remote_storage(path), path, into, told)
    except OSError as error:
        raise UnusableInput(f"cannot fetch {visible(path)}: {reason_of(error)}", "see to it, and try again") from error
    return os.path.join(into, os.path.basename(path))
