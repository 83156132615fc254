"""The measures: each makes its data in a folder, runs, and yields rows of the table."""

import shlex
import sys
from collections.abc import Callable, Iterator
from pathlib import Path

from .timing import Cost, in_turn, seconds

Row = tuple[str, str, str, str, str]
FOLDKEEP = f"{shlex.quote(sys.executable)} -m foldkeep"


def compared(work: str, ours: Cost, theirs: Cost, aim: str) -> Row:
    """Return a row that compares times."""
    return (work, seconds(ours.seconds), seconds(theirs.seconds), f"{ours.seconds / theirs.seconds:.2f}", aim)


def start(folder: Path) -> Iterator[Row]:
    """How long help and version take beside an empty Python."""
    for option in ("--help", "--version"):
        ours, theirs = in_turn(f"{FOLDKEEP} {option}", f"{shlex.quote(sys.executable)} -c pass", folder, times=15)
        yield compared(f"`foldkeep {option}` beside `python -c pass`", ours, theirs, "≤ 3")


MEASURES: dict[str, Callable[[Path], Iterator[Row]]] = {"start": start}
