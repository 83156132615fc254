"""Walking a place: every regular file in it, folder by folder, without following a link."""

import os
import stat
from collections.abc import Iterator
from dataclasses import dataclass, field

from foldkeep.model import FOLD_NAME, Problem, kind_of, reason_of
from foldkeep.stock import Sighting

from .opening import FOLDER, open_path


@dataclass(slots=True)
class Listing:
    """What lies directly in one folder.

    Attributes
    ----------
    complete
        False if the folder could not be read to its end; what is missing then is not gone.
    """

    path: bytes
    files: list[Sighting] = field(default_factory=list)
    folders: list[bytes] = field(default_factory=list)
    problems: list[Problem] = field(default_factory=list)
    complete: bool = True


def walk(top: bytes) -> Iterator[Listing]:
    """Yield a listing of every folder at and below `top`, on the volume of `top`.

    Folds and other volumes mounted below are not entered. A folder that cannot be read is yielded with the
    problem. Memory grows with the depth and the width of the tree, not with the number of files.
    """
    device = os.stat(top).st_dev
    waiting = [top]
    while waiting:
        listing = list_folder(waiting.pop(), device)
        yield listing
        waiting.extend(sorted(listing.folders, reverse=True))


def list_folder(path: bytes, device: int) -> Listing:
    """List one folder; entries on a device other than `device` are left out."""
    listing = Listing(path)
    try:
        descriptor = open_path(path, FOLDER)
    except OSError as error:
        return _cut_short(listing, error)
    try:
        with os.scandir(descriptor) as entries:
            for entry in entries:
                _note(listing, entry, device)
    except OSError as error:
        return _cut_short(listing, error)
    finally:
        os.close(descriptor)
    return listing


def _note(listing: Listing, entry: os.DirEntry[str], device: int) -> None:
    name = os.fsencode(entry.name)
    path = listing.path.rstrip(b"/") + b"/" + name
    try:
        facts = entry.stat(follow_symlinks=False)
    except OSError as error:
        listing.problems.append(Problem(path, reason_of(error)))
        return
    if facts.st_dev != device:
        return
    if stat.S_ISDIR(facts.st_mode):
        if name != FOLD_NAME:
            listing.folders.append(path)
    elif stat.S_ISREG(facts.st_mode):
        listing.files.append(
            Sighting(name, kind_of(name), facts.st_size, facts.st_mtime_ns, facts.st_ino, facts.st_nlink)
        )


def _cut_short(listing: Listing, error: OSError) -> Listing:
    listing.problems.append(Problem(listing.path, reason_of(error)))
    listing.complete = False
    return listing
