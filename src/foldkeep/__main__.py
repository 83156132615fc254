"""The program's start, for ``foldkeep`` and ``python -m foldkeep``."""

import os
import sys


def start() -> int:
    """Run one command line from ``sys.argv`` and return its exit status."""
    if os.name == "nt":  # before anything is imported that is not there
        sys.stderr.write("foldkeep: this system has no safe way to move a file; run it on Linux or macOS, or in WSL\n")
        return 2
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


if __name__ == "__main__":
    sys.exit(start())
