"""How long a server is waited for, and how fast it is asked."""

import threading
import time
from collections.abc import Callable
from itertools import count
from typing import NamedTuple, TypeVar

from .errors import ServerGone, TryLater

_Answer = TypeVar("_Answer")


class Patience(NamedTuple):
    """How often what only asks is asked again, and how long is waited in between.

    Attributes
    ----------
    tries
        How often a request is made at most.
    first_wait
        Seconds before the second try; each later wait is twice as long.
    longest_wait
        Seconds that a server may ask to be left alone; more than that is told as a problem.
    answer_seconds
        How long a server may say nothing.
    change_seconds
        How long it may do so while it changes something: some copy a file to move it.
    """

    tries: int = 4
    first_wait: float = 0.25
    longest_wait: float = 60.0
    answer_seconds: float = 20.0
    change_seconds: float = 300.0
    sleep: Callable[[float], None] = time.sleep

    def asked(self, ask: Callable[[], _Answer]) -> _Answer:
        """Ask, again where the connection was lost or the server is busy, and return the answer."""
        for tried in count(1):
            try:
                return ask()
            except (ServerGone, TryLater) as error:
                self.wait_after(error, tried)
        raise AssertionError("the last try returns or raises")

    def wait_after(self, error: ServerGone | TryLater, tried: int) -> None:
        """Wait before the next try after so many that failed; raise the error if there is to be none."""
        seconds = self.first_wait * 2.0 ** (tried - 1)
        if isinstance(error, TryLater) and error.seconds is not None:
            seconds = error.seconds
        if tried >= self.tries or seconds > self.longest_wait:
            raise error
        self.sleep(seconds)


class Throttle:
    """Keeps the bytes that all threads move in a second under a limit; no limit when None."""

    def __init__(self, bytes_per_second: float | None = None) -> None:
        self._rate = bytes_per_second
        self._lock = threading.Lock()
        self._free_at = 0.0

    def passed(self, size: int) -> None:
        """Note that bytes were moved, and wait until as many may be moved again."""
        if not self._rate:
            return
        with self._lock:
            now = time.monotonic()
            self._free_at = max(self._free_at, now) + size / self._rate
            wait = self._free_at - now
        time.sleep(wait)
