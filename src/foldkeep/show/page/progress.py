"""Progress on standard error: a bar on a terminal, a plain line now and then elsewhere."""

import threading
import time
from types import TracebackType
from typing import TYPE_CHECKING, Self, TextIO

from foldkeep.model import Step
from foldkeep.model.units import format_size

if TYPE_CHECKING:
    from rich.console import Console

_PLAIN_SECONDS = 5.0
_DRAWN_SECONDS = 0.1
_SILENT_SECONDS = 0.4  # what is over by then needs no bar, which would only flash
_BAR, _LEAST_BAR = 24, 8


class ProgressBar:
    """A progress callback for the core; use it as a context, so that the bar goes at the end.

    On a terminal it is drawn from early on, whether anything was told by then or not: a bar that runs to and fro until
    it is known how much there is to do.
    """

    def __init__(self, stream: TextIO, *, terminal: bool, color: bool, silent: bool) -> None:
        self._stream = stream
        self._drawn = _Drawn(stream, color) if terminal and not silent else None
        self._silent = silent or terminal
        self._began = time.monotonic()
        self._next = self._began + _PLAIN_SECONDS
        self._phase = ""

    def __call__(self, step: Step) -> None:
        """Take a step."""
        if self._drawn is not None:
            self._drawn.step = step
        if self._silent:
            return
        now = time.monotonic()
        if step.phase != self._phase:
            self._phase, self._began = step.phase, now
        if now >= self._next:
            self._next = now + _PLAIN_SECONDS
            self._stream.write(f"{describe(step, now - self._began)}\n")
            self._stream.flush()

    def __enter__(self) -> Self:
        if self._drawn is not None:
            self._drawn.start()
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        if self._drawn is not None:
            self._drawn.stop()


class _Drawn:
    """Draws steps from a thread of its own: whoever works hands the latest one over, which costs it nothing."""

    def __init__(self, stream: TextIO, color: bool) -> None:
        self.step = Step("Working", 0, None, "files")
        self._stream = stream
        self._color = color
        self._ended = threading.Event()
        self._thread = threading.Thread(target=self._draw, daemon=True, name="progress")

    def start(self) -> None:
        self._thread.start()

    def stop(self) -> None:
        self._ended.set()
        self._thread.join()

    def _draw(self) -> None:
        if self._ended.wait(_SILENT_SECONDS):
            return
        from rich.console import Console

        console = Console(file=self._stream, force_terminal=True, no_color=not self._color, highlight=False)
        phase, began = "", 0.0
        while not self._ended.wait(_DRAWN_SECONDS):
            step = self.step
            if step.phase != phase:
                phase, began = step.phase, time.monotonic()
            self._write(_line(console, step, time.monotonic() - began))
        self._write("")

    def _write(self, line: str) -> None:
        self._stream.write(f"\r\x1b[2K{line}")
        self._stream.flush()


def _line(console: "Console", step: Step, seconds: float) -> str:
    """Return what is drawn of a step on one line that fits the terminal: phase, bar, amounts."""
    from rich.cells import cell_len, set_cell_size
    from rich.progress_bar import ProgressBar as Bar

    words = amounts(step, seconds)
    room = console.width - cell_len(step.phase) - cell_len(words) - 4
    if room < _LEAST_BAR:
        line = f"{step.phase}  {words}"
        return line if cell_len(line) < console.width else set_cell_size(line, console.width - 1)
    known = step.total is not None
    done = (step.total if known else 1, step.done if known else 0)
    width = min(_BAR, room)
    bar = Bar(*done, width, pulse=not known, complete_style="cyan", finished_style="green", pulse_style="cyan")
    with console.capture() as drawn:
        console.print(bar, end="")
    return f"{step.phase} {drawn.get()} {words}"


def describe(step: Step, seconds: float) -> str:
    """Return a step as words: what, how far, how fast, and how long it will still take."""
    return f"{step.phase}: {amounts(step, seconds)}"


def amounts(step: Step, seconds: float) -> str:
    """Return how far a step is, how fast it goes and how long it will still take."""

    def amount(value: float) -> str:
        return format_size(round(value)) if step.unit == "bytes" else f"{value:,.0f}"

    unit = "" if step.unit == "bytes" else f" {step.unit}"
    if step.total is None:
        return f"{amount(step.done)}{unit}" if step.done else _clock(seconds)
    words = f"{amount(step.done)} of {amount(step.total)}{unit}"
    if seconds < 1 or not step.done:
        return words
    rate = step.done / seconds
    return f"{words}, {amount(rate)}{unit}/s, {_clock((step.total - step.done) / rate)} left"


def _clock(seconds: float) -> str:
    whole = max(0, round(seconds))
    return f"{whole // 60}:{whole % 60:02}"
