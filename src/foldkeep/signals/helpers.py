"""Several helper processes at work at once."""

import os
from collections.abc import Callable
from concurrent.futures import Future, ThreadPoolExecutor
from queue import LifoQueue
from types import TracebackType
from typing import Self, TypeVar

from .media_worker import Apart

HELPERS = os.cpu_count() or 1
"""How many can work at once: one a processor."""

_Found = TypeVar("_Found")


class Helpers:
    """Helper processes, each of which does one job at a time; they end with the block."""

    def __init__(self, number: int = HELPERS) -> None:
        self._all = [Apart() for _ in range(max(1, number))]
        # The last that was at work is asked first: where jobs come one by one, no second process is started.
        self._idle: LifoQueue[Apart] = LifoQueue()
        for helper in self._all:
            self._idle.put(helper)
        self._executor = ThreadPoolExecutor(len(self._all))

    def submit(self, job: Callable[[Apart], _Found]) -> "Future[_Found]":
        """Have a job done by a helper that is idle."""
        return self._executor.submit(self.do, job)

    def do(self, job: Callable[[Apart], _Found]) -> _Found:
        """Do a job by a helper that is idle, and wait for it."""
        helper = self._idle.get()
        try:
            return job(helper)
        finally:
            self._idle.put(helper)

    def __enter__(self) -> Self:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self._executor.shutdown(wait=False, cancel_futures=True)
        for helper in self._all:
            helper.kill()
        self._executor.shutdown()
        for helper in self._all:
            helper.close()
