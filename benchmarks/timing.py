"""Timing whole commands in turn, several times, and comparing their medians."""

import os
import statistics
import subprocess
import time
from collections.abc import Callable
from dataclasses import dataclass

Row = tuple[str, str, str, str, str]
"""What was done, our figures, those beside, their ratio, the aim."""


@dataclass(frozen=True)
class Cost:
    """What one run of a command took: wall seconds, and the peak memory of its largest process in bytes."""

    seconds: float
    memory: int


def run(line: str, folder: str | os.PathLike[str]) -> Cost:
    """Run a shell line in a folder, its output thrown away."""
    began = time.perf_counter()
    # pip compiles what it installs; a developer's shell may forbid Python to do so with this repository.
    variables = {name: value for name, value in os.environ.items() if name != "PYTHONDONTWRITEBYTECODE"}
    process = subprocess.Popen(line, shell=True, cwd=folder, stdout=subprocess.DEVNULL, env=variables)
    _, status, usage = os.wait4(process.pid, 0)
    process.returncode = os.waitstatus_to_exitcode(status)
    if process.returncode:
        raise RuntimeError(f"{line!r} ended with {process.returncode}")
    return Cost(time.perf_counter() - began, usage.ru_maxrss * 1024)


def in_turn(
    ours: str,
    theirs: str,
    folder: str | os.PathLike[str],
    times: int = 3,
    before: Callable[[], object] = lambda: None,
) -> tuple[Cost, Cost]:
    """Run two lines in turn, `before` ahead of each, and return the medians of both."""
    costs: tuple[list[Cost], list[Cost]] = ([], [])
    for _ in range(times):
        for line, found in zip((ours, theirs), costs, strict=True):
            before()
            found.append(run(line, folder))
    return median(costs[0]), median(costs[1])


def median(costs: list[Cost]) -> Cost:
    """Return the median of each figure."""
    return Cost(
        statistics.median(cost.seconds for cost in costs), round(statistics.median(cost.memory for cost in costs))
    )


def seconds(value: float) -> str:
    """Return seconds as they stand in a table."""
    return f"{value * 1000:.0f} ms" if value < 1 else f"{value:.1f} s"


def words(cost: Cost) -> str:
    """Return time and memory as they stand in a table."""
    return f"{seconds(cost.seconds)}, {cost.memory / 1e6:.0f} MB"


def compared(work: str, ours: Cost, theirs: Cost, beside: str, aim: str) -> Row:
    """Return a row that compares times."""
    ratio = f"{ours.seconds / theirs.seconds:.2f}"
    return (work, words(ours), f"{seconds(theirs.seconds)} ({beside})", ratio, aim)
