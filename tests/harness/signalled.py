"""Run the program in a process of its own, and signal it in the middle of its changes: at a count, not after a time."""

import os
import subprocess
import sys

from harness.desks import Desk

_COUNTED = ("rename", "unlink")


def signalled(desk: Desk, words: list[str], at: int, *signals: int) -> subprocess.CompletedProcess[str]:
    """Run a command; at that rename or removal of ours, and at each further one, the next of the signals comes."""
    variables = {**os.environ, "FOLDKEEP_STOCK": str(desk.stock), "PYTHONPATH": os.path.dirname(__file__) + "/.."}
    line = [sys.executable, "-m", "harness.signalled", str(at), ",".join(map(str, signals)), *words]
    return subprocess.run(line, env=variables, capture_output=True, text=True, check=False, timeout=120)


def _run() -> None:
    from foldkeep.__main__ import start
    from harness.points import Points

    at, signals = int(sys.argv[1]), [int(each) for each in sys.argv[2].split(",")]
    count = 0

    def visit(_number: int, name: str, when: str) -> None:
        nonlocal count
        if name in _COUNTED and when == "after":
            count += 1
            if count >= at and signals:
                os.kill(os.getpid(), signals.pop(0))

    sys.argv = ["foldkeep", *sys.argv[3:]]
    with Points(visit).armed():
        sys.exit(start())


if __name__ == "__main__":
    _run()
