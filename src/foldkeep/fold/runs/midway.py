"""What is said when the stock fails while files are changed."""

import sqlite3
from collections.abc import Iterator
from contextlib import contextmanager

from foldkeep.model import Run, StoppedMidway


@contextmanager
def midway(run: Run, work: str) -> Iterator[None]:
    """Tell of a stock that fails while files are changed by the run's number, and what to do now.

    Raises
    ------
    StoppedMidway
        Where the block raised an error of the stock's file.
    """
    try:
        yield
    except sqlite3.Error as error:
        raise StoppedMidway(
            f"the stock cannot be written ({error}), so run {run.id} stopped midway; no file is lost",
            f"make room or mend the disk there, then `foldkeep {work}` goes on, and `foldkeep unfold {run.id}` takes "
            "back what was done",
            run.id,
        ) from error
