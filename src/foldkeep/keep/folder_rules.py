"""Rules that look at the folders of copies: which were sorted by somebody, and which say what is in them."""

import os
from collections.abc import Sequence

from foldkeep.model import StockFile
from foldkeep.model.copy_names import copy_marks
from foldkeep.model.folder_names import dump_of, says_what


def steps_apart(copies: Sequence[StockFile]) -> list[list[bytes]]:
    """Return for each copy the names of its folders, from the first one on that not all of them share.

    Of a place only its own name counts, not where it is mounted.
    """
    several = len({copy.place.id for copy in copies}) > 1
    paths = []
    for copy in copies:
        steps = copy.path[len(copy.place.path.rstrip(b"/")) :].split(b"/")[1:-1]
        paths.append([os.path.basename(copy.place.path.rstrip(b"/")), *steps] if several else steps)
    shared = 0
    while all(len(path) > shared for path in paths) and len({path[shared] for path in paths}) == 1:
        shared += 1
    return [path[shared:] for path in paths]


def dumps(copies: Sequence[StockFile]) -> list[str]:
    """Return for each copy in which kind of dump it lies, in words; empty for one that was sorted."""
    return [next(filter(None, map(dump_of, steps)), "") for steps in steps_apart(copies)]


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
    names = copy_marks([os.path.basename(copy.path) for copy in copies])
    apart = steps_apart(copies)
    first = copy_marks([steps[0] if steps else b"" for steps in apart])
    return [(name, mark or any(copy_marks(steps[1:]))) for name, mark, steps in zip(names, first, apart, strict=True)]


def nameless(copies: Sequence[StockFile]) -> list[int]:
    """Return for each copy how little the names of its folders say; 0 is the most."""
    return [-max(map(says_what, steps), default=0) for steps in steps_apart(copies)]
