"""Rules that look at the folders of copies: which were sorted by somebody, and which say what is in them."""

import os
from collections.abc import Sequence
from functools import lru_cache

from foldkeep.model import StockFile
from foldkeep.model.copy_names import copy_marks
from foldkeep.model.folder_names import dump_among, dump_of, says_what

# Where two folders share one file, they share hundreds: what is said of folders is asked once.
_REMEMBERED = 4096
_Folders = tuple[tuple[bytes, bytes], ...]
"""Of each copy, the path of its place and of its folder."""


def _folders(copies: Sequence[StockFile]) -> _Folders:
    return tuple([(copy.place.path, copy.path.rpartition(b"/")[0]) for copy in copies])


@lru_cache(_REMEMBERED)
def _steps_apart(folders: _Folders) -> list[list[bytes]]:
    """Return for each copy the names of its folders, from the first one on that not all of them share.

    Of a place only its own name counts, not where it is mounted.
    """
    several = len({place for place, _ in folders}) > 1
    paths = []
    for place, folder in folders:
        steps = folder[len(place.rstrip(b"/")) :].split(b"/")[1:]
        paths.append([os.path.basename(place.rstrip(b"/")), *steps] if several else steps)
    shared = 0
    while all(len(path) > shared for path in paths) and len({path[shared] for path in paths}) == 1:
        shared += 1
    return [path[shared:] for path in paths]


def dumps(copies: Sequence[StockFile]) -> Sequence[str]:
    """Return for each copy in which kind of dump it lies, in words; empty for one that was sorted."""
    return _dumps(_folders(copies))


@lru_cache(_REMEMBERED)
def _dumps(folders: _Folders) -> list[str]:
    apart = _steps_apart(folders)
    if len({place for place, _ in folders}) > 1:  # what a place is called says nothing of what is below
        return [dump_of(steps[0]) or dump_among(steps[1:]) if steps else "" for steps in apart]
    return list(map(dump_among, apart))


def look_copied(copies: Sequence[StockFile]) -> list[bool]:
    """Tell of each copy whether its name, or that of a folder that it does not share, looks like a copy's."""
    return [name or folder for name, folder in _marks(copies)]


def copied_words(copies: Sequence[StockFile]) -> list[str]:
    """Return for each copy what looks like a copy's."""
    return [
        "its name looks like a copy's" if name or not folder else "its folder's name looks like a copy's"
        for name, folder in _marks(copies)
    ]


def _marks(copies: Sequence[StockFile]) -> list[tuple[bool, bool]]:
    names = copy_marks([copy.path.rpartition(b"/")[2] for copy in copies])
    return list(zip(names, _folder_marks(_folders(copies)), strict=True))


@lru_cache(_REMEMBERED)
def _folder_marks(folders: _Folders) -> list[bool]:
    """Tell of each copy whether the name of a folder that it does not share looks like a copy's."""
    apart = _steps_apart(folders)
    first = copy_marks([steps[0] if steps else b"" for steps in apart])
    return [mark or any(copy_marks(steps[1:])) for mark, steps in zip(first, apart, strict=True)]


def nameless(copies: Sequence[StockFile]) -> Sequence[int]:
    """Return for each copy how little the names of its folders say; 0 is the most."""
    return _nameless(_folders(copies))


@lru_cache(_REMEMBERED)
def _nameless(folders: _Folders) -> list[int]:
    return [-max(map(says_what, steps), default=0) for steps in _steps_apart(folders)]
