"""The program's start, for ``foldkeep`` and ``python -m foldkeep``."""

import gc
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
    # Of hundreds of thousands of files none is in a ring of objects, and looking for rings took a fifth of the time.
    gc.set_threshold(200_000, 20, 100)
    status = main()
    if status == ExitStatus.INTERRUPTED:
        # Threads may be deep in a large file; whoever pressed Ctrl-C does not wait for them.
        sys.stdout.flush()
        sys.stderr.flush()
        os._exit(status)
    return status


if __name__ == "__main__":
    sys.exit(start())
