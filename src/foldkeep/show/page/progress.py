"""Progress on standard error: a bar on a terminal, a plain line now and then elsewhere."""

import math
import threading
import time
from collections import deque
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
_WINDOW_SECONDS = 20.0
_SURE_SECONDS, _SURE_SHARE = 3.0, 0.02


class ProgressBar:
    """A progress callback for the core; use it as a context, so that the bar goes at the end.

    On a terminal it is drawn from early on, whether anything was told by then or not: a bar that runs to and fro until
    it is known how much there is to do.
    """

    def __init__(self, stream: TextIO, *, terminal: bool, color: bool, silent: bool) -> None:
        self._stream = stream
        self._drawn = _Drawn(stream, color) if terminal and not silent else None
        self._silent = silent or terminal
        self._next = time.monotonic() + _PLAIN_SECONDS
        self._pace = Pace()

    def __call__(self, step: Step) -> None:
        """Take a step."""
        if self._drawn is not None:
            self._drawn.step = step
        if self._silent:
            return
        now = time.monotonic()
        self._pace.note(step, now)
        if now >= self._next:
            self._next = now + _PLAIN_SECONDS
            self._stream.write(f"{step.phase}: {', '.join(amounts(step, self._pace))}\n")
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
        pace = Pace()
        while not self._ended.wait(_DRAWN_SECONDS):
            step = self.step
            pace.note(step, time.monotonic())
            self._write(_line(console, step, pace))
        self._write("")

    def _write(self, line: str) -> None:
        self._stream.write(f"\r\x1b[2K{line}")
        self._stream.flush()


class Pace:
    """The pace of the latest part of a phase: what is ahead is better told by that than by how it began."""

    def __init__(self) -> None:
        self._phase = ""
        self._marks: deque[tuple[float, int]] = deque()
        self._began = self._now = 0.0

    def note(self, step: Step, now: float) -> None:
        """Note how far a step is at a moment, in seconds of a clock that only goes on."""
        if step.phase != self._phase or (self._marks and step.done < self._marks[-1][1]):
            self._phase, self._began = step.phase, now
            self._marks.clear()
        self._now = now
        last, done = self._marks[-1] if self._marks else (now - _DRAWN_SECONDS, -1)
        if step.done != done and now >= last + _DRAWN_SECONDS:  # a pipe is told of millions of steps
            self._marks.append((now, step.done))
        while len(self._marks) > 2 and now - self._marks[1][0] > _WINDOW_SECONDS:
            self._marks.popleft()

    @property
    def seconds(self) -> float:
        """Since when the phase goes on."""
        return self._now - self._began

    def rate(self) -> float | None:
        """Return how much is done a second; None if nothing was done lately, so that nobody knows."""
        if not self._marks or self.seconds < 1:
            return None
        (since, before), (last, done) = self._marks[0], self._marks[-1]
        usual = (last - since) / max(1, len(self._marks) - 1)
        if done == before or self._now - last > max(_SURE_SECONDS, 3 * usual):
            return None
        return (done - before) / (self._now - since)


def _line(console: "Console", step: Step, pace: Pace) -> str:
    """Return what is drawn of a step on one line that fits the terminal: phase, bar, amounts.

    Where a terminal is too narrow, first the bar is left out, then the amounts from the last, then the phase is cut.
    """
    from rich.cells import cell_len, set_cell_size
    from rich.progress_bar import ProgressBar as Bar

    most = console.width - 1
    parts = amounts(step, pace)
    while len(parts) > 1 and cell_len(f"{step.phase}  {', '.join(parts)}") > most:
        parts.pop()
    words = ", ".join(parts)
    room = most - cell_len(step.phase) - cell_len(words) - 2
    if room < _LEAST_BAR:
        return set_cell_size(step.phase, max(1, min(cell_len(step.phase), most - cell_len(words) - 2))) + "  " + words
    known = step.total is not None
    done = (step.total if known else 1, step.done if known else 0)
    width = min(_BAR, room)
    bar = Bar(*done, width, pulse=not known, complete_style="cyan", finished_style="green", pulse_style="cyan")
    with console.capture() as drawn:
        console.print(bar, end="")
    return f"{step.phase} {drawn.get()} {words}"


def amounts(step: Step, pace: Pace) -> list[str]:
    """Return how far a step is, how fast it goes and how long it will still take, as far as that can be told."""

    def amount(value: float) -> str:
        return format_size(round(value)) if step.unit == "bytes" else f"{value:,.0f}"

    unit = "" if step.unit == "bytes" else f" {step.unit}"
    if step.total is None:
        return [f"{amount(step.done)}{unit}" if step.done else _clock(pace.seconds)]
    words = [f"{amount(step.done)} of {amount(step.total)}{unit}"]
    rate = pace.rate()
    if rate is not None:
        words.append(f"{amount(rate)}{unit}/s")
        if pace.seconds >= _SURE_SECONDS and step.done >= _SURE_SHARE * step.total:
            words.append(f"{time_left((step.total - step.done) / rate)} left")
    return words


def time_left(seconds: float) -> str:
    """Return how long something will still take, no finer than anybody can know.

    >>> [time_left(seconds) for seconds in (4, 40, 100, 3000, 9000)]
    ['less than 10 s', 'less than a minute', 'about 2 min', 'about 50 min', 'about 3 h']
    """
    if seconds < 60:
        return "less than 10 s" if seconds < 10 else "less than a minute"
    return f"about {round(seconds / 60)} min" if seconds < 90 * 60 else f"about {math.ceil(seconds / 3600)} h"


def _clock(seconds: float) -> str:
    whole = max(0, round(seconds))
    return f"{whole // 60}:{whole % 60:02}"
