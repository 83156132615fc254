"""What is said when the stock, or a disk, fails while files are changed."""

import sqlite3
from collections.abc import Iterator
from contextlib import contextmanager

from foldkeep.model import Run
from foldkeep.model.errors import StoppedMidway
from foldkeep.model.work import reason_of


@contextmanager
def midway(run: Run, work: str) -> Iterator[None]:
    """Tell of a failure while files are changed by the run's number, and what to do now.

    Raises
    ------
    StoppedMidway
        Where the block raised an error of the stock's file or of the system.
    """
    try:
        yield
    except (sqlite3.Error, OSError) as error:
        why = reason_of(error) if isinstance(error, OSError) else f"the stock cannot be written ({error})"
        raise StoppedMidway(
            f"{why}, so run {run.id} stopped midway; no file is lost",
            f"make room or mend the disk there, then `foldkeep {work}` goes on, and `foldkeep unfold {run.id}` takes "
            "back what was done",
            run.id,
        ) from error
