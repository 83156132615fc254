"""Ctrl-C, also while the system waits for a share that does not answer and lets nobody interrupt it."""

import os
import signal
import threading
import time

_LOOK_SECONDS = 0.5
_PATIENCE_SECONDS = 4.0
_LINE = (
    b"\nfoldkeep: interrupted while a drive or share did not answer; what was begun is carried on or taken back by the "
    b"next run\n"
)


def watch_for_interrupts() -> None:
    """End the process if Ctrl-C was pressed and the system keeps that from the main thread for some seconds.

    A thread that waits in the system for a server that went away takes no signal but the one that ends the process.
    The watching thread blocks it for itself, and so is told whether it still waits to be taken (POSIX `sigpending`).
    """
    threading.Thread(target=_watch, name="interrupts", daemon=True).start()


def _watch() -> None:
    signal.pthread_sigmask(signal.SIG_BLOCK, {signal.SIGINT})
    waits_since: float | None = None
    while True:
        time.sleep(_LOOK_SECONDS)
        if signal.SIGINT not in signal.sigpending():
            waits_since = None
        elif waits_since is None:
            waits_since = time.monotonic()
        elif time.monotonic() - waits_since > _PATIENCE_SECONDS:
            os.write(2, _LINE)
            os._exit(130)
