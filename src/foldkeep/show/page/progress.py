"""Progress on standard error: one line that moves on a terminal, a plain line now and then elsewhere."""

import time
from types import TracebackType
from typing import Self, TextIO

from foldkeep.model import Step
from foldkeep.model.units import format_size

_TERMINAL_SECONDS = 0.1
_PLAIN_SECONDS = 5.0


class ProgressLine:
    """A progress callback for the core; use it as a context so that its line is cleared at the end."""

    def __init__(self, stream: TextIO, *, terminal: bool, silent: bool) -> None:
        self._stream = stream
        self._terminal = terminal
        self._silent = silent
        self._every = _TERMINAL_SECONDS if terminal else _PLAIN_SECONDS
        self._began = self._next = time.monotonic() + (0 if terminal else self._every)
        self._phase = ""
        self._drawn = False

    def __call__(self, step: Step) -> None:
        """Draw a step, if it is time."""
        now = time.monotonic()
        if step.phase != self._phase:
            self._phase, self._began = step.phase, now
        if self._silent or now < self._next:
            return
        self._next = now + self._every
        line = describe(step, now - self._began)
        self._stream.write(f"\r\x1b[2K{line}" if self._terminal else f"{line}\n")
        self._stream.flush()
        self._drawn = self._terminal

    def __enter__(self) -> Self:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        if self._drawn:
            self._stream.write("\r\x1b[2K")
            self._stream.flush()


def describe(step: Step, seconds: float) -> str:
    """Return a step as words: what, how far, how fast, and how long it will still take."""

    def amount(value: float) -> str:
        return format_size(round(value)) if step.unit == "bytes" else f"{value:,.0f}"

    unit = "" if step.unit == "bytes" else f" {step.unit}"
    if step.total is None:
        return f"{step.phase}: {amount(step.done)}{unit}"
    words = f"{step.phase}: {amount(step.done)} of {amount(step.total)}{unit}"
    if seconds < 1 or not step.done:
        return words
    rate = step.done / seconds
    left = max(0, round((step.total - step.done) / rate))
    return f"{words}, {amount(rate)}{unit} a second, {left // 60}:{left % 60:02} left"
