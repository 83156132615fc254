"""The program's start, for ``foldkeep`` and ``python -m foldkeep``."""

import os
import sys


def start() -> int:
    """Run one command line from ``sys.argv`` and return its exit status."""
    from foldkeep.cli import ExitStatus, main

    status = main()
    if status == ExitStatus.INTERRUPTED:
        # Threads may be deep in a large file; whoever pressed Ctrl-C does not wait for them.
        sys.stdout.flush()
        sys.stderr.flush()
        os._exit(status)
    return status


if __name__ == "__main__":
    sys.exit(start())
