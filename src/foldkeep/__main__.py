"""The program's start, for ``foldkeep`` and ``python -m foldkeep``."""

import os
import sys


def start() -> int:
    """Run one command line from ``sys.argv`` and return its exit status."""
    if os.name == "nt":  # before anything is imported that is not there
        sys.stderr.write("foldkeep: this system has no safe way to move a file; run it on Linux or macOS, or in WSL\n")
        return 2
    _open_closed_streams()
    from foldkeep.cli import ExitStatus, main
    from foldkeep.cli.interrupts import watch_for_interrupts

    watch_for_interrupts()
    status = main()
    if status == ExitStatus.INTERRUPTED:
        # Threads may be deep in a large file; whoever pressed Ctrl-C does not wait for them.
        sys.stdout.flush()
        sys.stderr.flush()
        os._exit(status)
    return status


def _open_closed_streams() -> None:
    """Have standard streams that are closed lead nowhere.

    The next file that is opened would get the number of a closed one, and a line for people could end up in a stock.
    """
    for name, mode in (("stdin", "r"), ("stdout", "w"), ("stderr", "w")):
        if getattr(sys, name) is None:  # what is opened gets the lowest number that is free, so that of the closed one
            setattr(sys, name, open(os.devnull, mode, encoding="utf-8"))  # noqa: SIM115 - open as long as the process


if __name__ == "__main__":
    sys.exit(start())
