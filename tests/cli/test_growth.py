"""How the work of commands grows with a library: counted, not timed."""

import sqlite3
from collections import Counter
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from unittest.mock import patch

import pytest

from harness.desks import Desk

_STEPS = 100  # of SQLite's machine between two counts
FEW, MANY = 500, 2000


@contextmanager
def counted() -> Iterator[Counter[str]]:
    """Count what commands in the block ask for: steps of SQLite's machine."""
    counts: Counter[str] = Counter()
    connect = sqlite3.connect

    def count() -> None:
        counts["steps"] += 1

    def connected(*args: object, **named: object) -> sqlite3.Connection:
        connection = connect(*args, **named)
        connection.set_progress_handler(count, _STEPS)
        return connection

    with patch("sqlite3.connect", connected):
        yield counts


def library(top: Path, files: int) -> Desk:
    """Lay out a library of pictures that are all of one size, as uncompressed ones are, and a card with all of them."""
    top.mkdir()
    desk = Desk(top)
    for number in range(files):
        content = b"%08d" % number * 512
        desk.write(f"{number // 100}/{number}.dng", content)
        (top / "card").mkdir(exist_ok=True)
        (top / "card" / f"{number}.dng").write_bytes(content)
    desk.ask("scan", desk.place)
    return desk


@pytest.mark.parametrize("words", [("fixity",), ("coverage", "card")], ids=["fixity", "coverage"])
def test_four_times_the_library_is_no_more_than_five_times_the_work(tmp_path: Path, words: tuple[str, ...]):
    found = []
    for files in (FEW, MANY):
        desk = library(tmp_path / str(files), files)
        line = [desk.top / word if word == "card" else word for word in words]
        with counted() as counts:
            assert desk.run(*line).status in (0, 1)
        found.append(counts)
    few, many = found
    assert few["steps"]
    assert {what: many[what] / few[what] <= 5 for what in few} == {"steps": True}, (few, many)
