"""Reading very many small files of this computer's drives in helper processes.

Threads that each make short system calls hand the interpreter's lock to and fro, and to the thread that writes the
stock; processes share none. They take a while to start, so a few files are better read where one is.
"""

import os
from collections.abc import Sequence

from foldkeep.stock import Reading

from .afar import Helpers, Silent, Work, name_of
from .reading import Meter, Outcome

PROCESSES = os.cpu_count() or 1
"""How many can be at work at once."""


class SmallFiles:
    """Readers of small files, one process for each thread that asks; what a process does not do, the thread does."""

    def __init__(self) -> None:
        self._helpers = Helpers()
        self._fails = self._closed = False

    def read(self, work: Work, readings: Sequence[Reading], meter: Meter) -> list[Outcome]:
        """Read files, and return what came of each.

        Raises Silent if it was closed meanwhile.
        """
        outcomes: list[Outcome] = []
        if not self._fails:
            try:
                for told in self._helpers.own().ask(("many", name_of(work), [tuple(each) for each in readings])):
                    outcomes += [
                        Outcome(reading, *found)
                        for reading, found in zip(readings[len(outcomes) :], told, strict=False)
                    ]
            except Silent:
                self._fails = True
        if self._closed:
            raise Silent
        return outcomes + [work(reading, meter) for reading in readings[len(outcomes) :]]

    def close(self) -> None:
        """End the processes."""
        self._closed = True
        self._helpers.close()
