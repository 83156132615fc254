"""Plain answers to compare with: everything read, one thing at a time."""

import os
from collections import defaultdict
from concurrent.futures import Executor, Future
from pathlib import Path

from foldkeep.model.names import path_from_uri
from harness.desks import Desk, read_everything

BLOCK = 16 * 1024


def content(size: int, change: str) -> bytes:
    data = bytearray(b"kite" * (size // 4 + 1))[:size]
    if size and change != "none":
        data[{"start": 0, "middle": size // 2, "end": size - 1}[change]] ^= 1
    return bytes(data)


def oracle(top: Path) -> set[frozenset[bytes]]:
    """Return the sets by reading everything: contents, not empty, that more than one file has."""
    found = defaultdict(dict)
    for path, digest, facts in read_everything(os.fsencode(top)):
        if facts.st_size and b"/.foldkeep/" not in path:
            found[digest][path] = (facts.st_dev, facts.st_ino)
    return {frozenset(paths) for paths in found.values() if len(set(paths.values())) > 1}


def found_sets(desk: Desk) -> set[frozenset[bytes]]:
    answer = desk.ask("duplicates")
    return {frozenset(path_from_uri(copy["uri"]) for copy in one["copies"]) for one in answer["sets"]}


class OneByOne(Executor):
    """An executor without threads: what a scan asks of an executor is the interface, no more."""

    def __init__(self) -> None:
        self.jobs = 0

    def submit(self, function, /, *args, **named):
        self.jobs += 1
        future: Future = Future()
        future.set_result(function(*args, **named))
        return future
