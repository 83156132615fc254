"""Digests that servers state of what lies there, taken for finding: what they agree with need not be fetched.

They are a server's word. Nothing is changed, and nothing told to be safe, by them: whoever does that reads again.
"""

import hashlib
from collections.abc import Collection, Iterator
from dataclasses import dataclass, field
from functools import cache
from typing import NamedTuple

from foldkeep.model import PathBytes, Progress, Step
from foldkeep.model.remote import is_remote
from foldkeep.stock import Alike, Stock
from foldkeep.storage.local.reading import opened


@dataclass(slots=True)
class _Group:
    """Files of one size with the same ends: what servers state of some, and what the others are."""

    stated: dict[str, list[int]] = field(default_factory=dict)
    local: dict[bytes, PathBytes] = field(default_factory=dict)
    has_others: bool = False


class Stated(NamedTuple):
    """What came of it: how many files need not be fetched, and the numbers of those that must be."""

    files: int
    to_read: list[int]


def take_stated(stock: Stock, places: Collection[int], progress: Progress) -> Stated:
    """Write down the digests of files on servers that are surely those of files here, by what the servers state.

    Where that leaves open whether others have a content, one of the files that are stated alike must be fetched.
    """
    taken, to_read = 0, list[int]()
    hashed = cache(_hashed)
    groups = list(_groups(stock.contents.stated_and_alike(places)))
    for done, group in enumerate(groups):
        progress(Step("Comparing what servers state", done, len(groups), "contents"))
        for stated, numbers in group.stated.items():
            algorithm = stated.partition(":")[0]
            digest = next((each for each, path in group.local.items() if hashed(path, algorithm) == stated), None)
            if digest is not None:
                taken += len(numbers)
                stock.contents.set_read((None, digest, None, None, None, number) for number in numbers)
            elif group.has_others or len(numbers) > 1:
                to_read.append(numbers[0])
    return Stated(taken, to_read)


def _groups(rows: Iterator[list[Alike]]) -> Iterator[_Group]:
    for files in rows:
        group = _Group()
        for file in files:
            if file.stated and file.digest is None:
                group.stated.setdefault(file.stated, []).append(file.number)
            elif not is_remote(file.path) and file.digest:
                group.local.setdefault(file.digest, file.path)
            else:
                group.has_others = True
        algorithms = {stated.partition(":")[0] for stated in group.stated}
        group.has_others |= len(algorithms) > 1
        yield group


def _hashed(path: PathBytes, algorithm: str) -> str:
    """Return the digest of a file here as a server would state it; empty if it cannot be read."""
    try:
        with opened(path) as descriptor, open(descriptor, "rb", closefd=False) as file:
            return f"{algorithm}:{hashlib.file_digest(file, algorithm.replace('-', '')).hexdigest()}"
    except OSError:
        return ""
