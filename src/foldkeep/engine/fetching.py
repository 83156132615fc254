"""Inventories that lie on servers, brought here to be asked."""

import os
import shutil
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from fnmatch import fnmatchcase

from foldkeep.formats.columns import own_folder
from foldkeep.model import PathBytes, UnusableInput, visible
from foldkeep.model.names import Fetched, fetched_name
from foldkeep.model.remote import RemoteFile, is_address, remote_path
from foldkeep.model.work import Progress, Step, reason_of
from foldkeep.storage.remote import RemoteStorage, remote_storage

from .inventories import SUFFIXES

_ADVICE = "name a file that `foldkeep inventory save` wrote, or a folder of them"


@contextmanager
def fetched(named: Sequence[str], progress: Progress) -> Iterator[list[str]]:
    """Bring inventories that are named by addresses here, for as long as the block lasts; give names for all.

    What a server tells of a file, its size, is the most that is taken of it.

    Parameters
    ----------
    named
        As `open_inventories` takes them; of an address the last step may be a glob.

    Raises
    ------
    UnusableInput
        If a server cannot be reached, nothing is there, or there is no room for it.
    """
    if not any(map(is_address, named)):
        yield list(named)
        return
    with own_folder() as folder:
        found: list[str] = []
        for number, word in enumerate(named):
            found += _brought(word, os.path.join(folder, str(number)), progress) if is_address(word) else [word]
        yield found


def _brought(word: str, folder: str, progress: Progress) -> Iterator[Fetched]:
    """Fetch what an address stands for into folders of their own; yield where each is now."""
    try:
        path = remote_path(word)
        storage = remote_storage(path)
        files = _files_at(storage, path)
        if not files:
            raise UnusableInput(f"there is no inventory at {visible(word)}", _ADVICE)
        _check_room(folder, sum(file.size for _, file in files), word)
        for number, (each, file) in enumerate(files):
            # The name tells the machine where an inventory of lines tells none.
            new = os.path.join(f"{folder}-{number}", os.fsdecode(os.path.basename(each)))
            os.mkdir(os.path.dirname(new))
            _write(storage, each, file, new, progress)
            yield fetched_name(new, visible(each))
    except OSError as error:
        raise UnusableInput(f"cannot fetch {visible(word)}: {reason_of(error)}", "try again when it can be") from error


def _files_at(storage: RemoteStorage, path: PathBytes) -> list[tuple[PathBytes, RemoteFile]]:
    folder, _, glob = path.rpartition(b"/")
    facts = storage.facts(path)
    if facts is None and b"*" in glob:
        inside = [file for file in storage.files(folder) if fnmatchcase(os.fsdecode(file.name), os.fsdecode(glob))]
    elif facts is None or not facts.is_folder:
        return [] if facts is None else [(path, facts)]
    else:
        folder = path
        inside = [file for file in storage.files(path) if file.name.endswith(tuple(map(str.encode, SUFFIXES)))]
    return sorted((folder + b"/" + file.name, file) for file in inside if not file.is_folder)


def _check_room(folder: str, size: int, word: str) -> None:
    if size > shutil.disk_usage(os.path.dirname(folder)).free:
        why = f"there is no room here for the inventories at {visible(word)}"
        raise UnusableInput(why, "set TMPDIR to a drive with more")


def _write(storage: RemoteStorage, path: PathBytes, file: RemoteFile, new: str, progress: Progress) -> None:
    done = 0
    with open(new, "xb") as written:
        for part in storage.parts(path, file.etag):
            done += len(part)
            if done > file.size:
                raise UnusableInput(f"{visible(path)} is longer than its server said", "fetch it again")
            written.write(part)
            progress(Step("Fetching inventories", done, file.size, "bytes"))
