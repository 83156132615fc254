"""How the work of commands grows with a library: counted, never timed."""

import builtins
import os
import sqlite3
import sys
import threading
from collections import Counter
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any, ClassVar
from unittest.mock import patch

import pytest

from harness.desks import Desk

FEW, MANY = 500, 2000
MOST_GROWTH = 5  # where the library grows by four
_STEPS = 100  # of SQLite's machine between two counts
_LOOKS = "stat lstat fstat listdir scandir open read pread readlink".split()

# Lines in the order in which a person types them; PLACE, CARD and OUT stand for folders, DOCKET for a file.
LINES = (
    "scan PLACE",
    "scan",
    "fixity",
    "duplicates",
    "duplicates --folders",
    "list",
    "list --name *7.dng",
    "space",
    "space --by year",
    "coverage",
    "coverage CARD",
    "places",
    "inventory save OUT/now.inventory place",
    "compare OUT/now.inventory place",
    "catalog add shoots OUT/list.csv",
    "catalog check shoots",
    "orphans",
    "caches",
    "projects",
    "room 1kB",
    "checkup",
    "archive PLACE/old --to OUT --inside PLACE --yes",
    "archive --check OUT/old",
    "restore OUT/old --to CARD",
    "keep -o DOCKET",
    "sheet DOCKET -o OUT/sheet.html",
    "fold DOCKET --yes",
    "ledger",
    "ledger 1",
    "ledger --verify",
    "unfold 1",
    "fold DOCKET --yes --method hard-link",
    "unfold 2",
    "fold DOCKET --yes",
    "release 3 --yes",
)

MAY_GROW: dict[tuple[str, str], float] = {}
"""What may grow otherwise, by line and count, with the most: each with a reason beside it."""


class Counted(sqlite3.Connection):
    """A connection that counts how often each statement is run."""

    statements: ClassVar[Counter[str]] = Counter()
    plans: ClassVar[dict[str, list[str]]] = {}

    def execute(self, statement: str, *more: Any) -> sqlite3.Cursor:
        self._count(statement, *more)
        return super().execute(statement, *more)

    def executemany(self, statement: str, rows: Any) -> sqlite3.Cursor:
        rows = list(rows)
        self._count(statement, *rows[:1], times=len(rows))
        return super().executemany(statement, rows)

    def _count(self, statement: str, *values: Any, times: int = 1) -> None:
        Counted.statements[statement] += times
        if Counted.statements[statement] >= FEW // 4 and statement not in Counted.plans:
            Counted.plans[statement] = []
            if statement.lstrip()[:6].upper() in ("SELECT", "UPDATE", "DELETE", "INSERT"):
                plan = super().execute(f"EXPLAIN QUERY PLAN {statement}", *values)
                Counted.plans[statement] = [str(row[3]) for row in plan]


@contextmanager
def counted() -> Iterator[Counter[str]]:
    """Count what a command asks for: steps of SQLite's machine, calls in Python, looks at the file system."""
    counts: Counter[str] = Counter()
    Counted.statements, Counted.plans = Counter(), {}
    connect = sqlite3.connect

    def step() -> None:
        counts["steps"] += _STEPS

    def connected(*args: Any, **named: Any) -> sqlite3.Connection:
        connection = connect(*args, **named, factory=Counted)
        connection.set_progress_handler(step, _STEPS)
        return connection

    def looking(real: Any) -> Any:
        def look(*args: Any, **named: Any) -> Any:
            counts["looks"] += 1
            return real(*args, **named)

        return look

    def called(_frame: object, event: str, _argument: object) -> None:
        if event in ("call", "c_call"):
            counts["calls"] += 1

    real = {name: getattr(os, name) for name in _LOOKS}
    with patch("sqlite3.connect", connected), patch.object(builtins, "open", looking(open)):
        for name, function in real.items():
            setattr(os, name, looking(function))
        threading.setprofile(called)
        sys.setprofile(called)
        try:
            yield counts
        finally:
            sys.setprofile(None)
            threading.setprofile(None)  # type: ignore[arg-type]
            for name, function in real.items():
                setattr(os, name, function)


def library(top: Path, files: int) -> Desk:
    """Lay out pictures that are all of one size, as uncompressed ones are, each twice, and a card with all of them."""
    top.mkdir()
    desk = Desk(top)
    (top / "out").mkdir()
    for number in range(files // 2):
        content = b"%08d" % number * 512
        for name in (f"place/shoot-{number // 100}/{number}.dng", f"place/old/{number}.dng", f"card/{number}.dng"):
            (top / name).parent.mkdir(parents=True, exist_ok=True)
            (top / name).write_bytes(content)
    entries = sorted(desk.place.glob("shoot-*/*"))[:-3]
    (top / "out/list.csv").write_text("path\n" + "".join(f"{path}\n" for path in entries))
    return desk


def walk(desk: Desk) -> Iterator[tuple[str, Counter[str], list[str]]]:
    """Run every line; yield what it asked for, and the statements that were run once a file and scan a table."""
    known = {"PLACE": desk.place, "CARD": desk.top / "card", "OUT": desk.top / "out", "DOCKET": desk.docket}
    for line in LINES:
        words = []
        for word in line.split():
            for name, path in known.items():
                word = word.replace(name, str(path))
            words.append(word)
        with counted() as counts:
            answer = desk.run(*words)
        assert answer.status in (0, 1), (line, answer)
        scans = [
            f"{statement} | {row}"
            for statement, plan in Counted.plans.items()
            for row in plan
            if row.startswith("SCAN") and "CONSTANT" not in row and "VIRTUAL" not in row
        ]
        yield line, counts, scans


@pytest.mark.more
def test_four_times_the_library_is_no_more_than_five_times_the_work(tmp_path: Path):
    grown = []
    few, many = (walk(library(tmp_path / str(files), files)) for files in (FEW, MANY))
    for (line, less, _), (_, more, scans) in zip(few, many, strict=True):
        assert less["steps"] + less["calls"] > 100, line
        for what in ("steps", "calls", "looks"):
            most = MAY_GROW.get((line, what), MOST_GROWTH)
            if more[what] > most * max(less[what], 100):
                grown.append(f"{line}: {what} {less[what]:,} -> {more[what]:,}, {more[what] / max(less[what], 1):.1f}")
        grown += [f"{line}: run once a file, and scans a table: {each}" for each in scans]
    assert not grown, "\n".join(grown)
