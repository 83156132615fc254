"""Putting media from outside a project back where it came from: below known places and named folders."""

import errno
import os
from collections.abc import Iterator, Mapping
from contextlib import suppress
from enum import StrEnum
from typing import NamedTuple

from foldkeep.formats.packages import Form, Listed
from foldkeep.model import PathBytes, Problem
from foldkeep.model.kinds import kind_of
from foldkeep.model.names import innermost, lies_in_a_fold, names_to_try
from foldkeep.model.work import reason_of
from foldkeep.signals import MEDIA
from foldkeep.storage.local.changes import Folders, copy_file, move_to_free, unlink
from foldkeep.storage.local.reading import facts_at, facts_of, has_digest

from .contents import Whole


class Way(StrEnum):
    """Ways of a file that is to go back."""

    FREE = "goes there"
    SAME = "is there already"
    TAKEN = "gets a name beside another file"
    STAYS = "stays beside the project"


class Return(NamedTuple):
    """A file from outside a project, and where it came from.

    Attributes
    ----------
    path
        Where it would go.
    why
        Why it stays; else empty.
    place
        The place or named folder that it lies in; empty if it stays.
    """

    entry: Listed
    path: PathBytes
    way: Way
    why: str = ""
    place: PathBytes = b""


def returns(whole: Whole, below: Mapping[PathBytes, PathBytes]) -> list[Return]:
    """Return what would become of each file from outside, in order of path, having looked at what is there now.

    Parameters
    ----------
    below
        Folders below which files may go, with the place that each lies in.
    """
    return sorted(_ways(whole, below), key=lambda each: each.path)


def _ways(whole: Whole, below: Mapping[PathBytes, PathBytes]) -> Iterator[Return]:
    for entry in whole:
        if not entry.is_outside or (entry.form is Form.PIECE and entry.start):
            continue
        path = b"/" + entry.path
        folder = innermost(below, path)
        if kind_of(os.path.basename(path)) not in MEDIA:
            yield Return(entry, path, Way.STAYS, "it is no media")
        elif folder is None or lies_in_a_fold(path):
            yield Return(entry, path, Way.STAYS, "it lies below no place that is known, and no folder that was named")
        elif entry.form is Form.PIECE and whole.is_cut(entry.path):
            yield Return(entry, path, Way.STAYS, "a part of it is not here")
        else:
            yield Return(entry, path, _way(entry, path), place=below[folder])


def _way(entry: Listed, path: PathBytes) -> Way:
    try:
        facts = facts_at(path)
    except OSError:
        return Way.FREE  # what cannot be reached is said when it is tried
    size = entry.whole_size if entry.form is Form.PIECE else entry.size
    if facts.st_size != size:
        return Way.TAKEN
    with suppress(OSError), Folders(b"/") as root:
        folder, name = root.of(path)
        return Way.SAME if has_digest(folder, name, entry.whole_digest or entry.digest) else Way.TAKEN
    return Way.TAKEN


def put_back(
    site: PathBytes,
    lies_at: PathBytes,
    each: Return,
    problems: list[Problem],
    renamed: list[tuple[PathBytes, PathBytes]],
) -> bool:
    """Put a file from outside the project back where it came from, or note why it could not be; tell whether it is.

    `lies_at` is where it lies in `site`.
    """
    if each.way is Way.STAYS:
        problems.append(Problem(each.path, f"stays beside the project: {each.why}"))
        return False
    entry = each.entry
    try:
        with Folders(site) as outside, Folders(b"/") as root:
            source, name = outside.of(os.path.join(outside.top, lies_at))
            folder, wanted = root.of(each.path, make=True)
            if facts_of(folder, wanted) is not None and has_digest(folder, wanted, entry.whole_digest or entry.digest):
                unlink(name, source)
            else:
                got = _brought(source, name, folder, wanted)
                if got != wanted:
                    renamed.append((each.path, os.path.join(os.path.dirname(each.path), got)))
    except OSError as error:
        problems.append(Problem(each.path, f"could not be put back: {reason_of(error)}"))
        return False
    return True


def _brought(source: int, name: bytes, folder: int, wanted: bytes) -> bytes:
    """Move a file to a name that is free, also to another volume, and return the name."""
    try:
        return move_to_free(source, name, folder, wanted)
    except OSError as error:
        if error.errno != errno.EXDEV:
            raise
    for free in names_to_try(wanted):
        with suppress(FileExistsError):
            copy_file(source, name, folder, free)
            unlink(name, source)
            return free
    raise FileExistsError(errno.EEXIST, "no name is free for it there")
