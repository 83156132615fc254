"""Ctrl-C, also while the system waits for a share that does not answer and lets nobody interrupt it."""

import os
import signal
import threading
import time
from contextlib import suppress
from types import FrameType

_LOOK_SECONDS = 0.25
_PATIENCE_SECONDS = 4.0
_LINE = (
    b"\nfoldkeep: interrupted while a drive or share did not answer; what was begun is carried on or taken back by the "
    b"next run\n"
)


_STOPPING = b"\nfoldkeep: stopping; Ctrl-C again stops at once\n"
_AT_ONCE = b"\nfoldkeep: stopped at once; the next run carries on or takes back what was begun, see foldkeep ledger\n"
_pressed = threading.Event()
_answered = threading.Event()


def watch_for_interrupts() -> None:
    """Have Ctrl-C end the command in order, and say so if that takes a moment; a second one ends it at once.

    What a process that ends at any instant leaves, the next one carries on or takes back. The process ends as well if
    the system keeps Ctrl-C from the main thread for some seconds.

    A thread that waits in the system for a server that went away takes no signal but the one that ends the process.
    The watching thread blocks it for itself, and so is told whether it still waits to be taken (POSIX `sigpending`).
    """
    if signal.getsignal(signal.SIGINT) is signal.default_int_handler:  # who starts it in the background wants none
        signal.signal(signal.SIGINT, _interrupt)
    with suppress(RuntimeError):  # no thread may be started: Ctrl-C works, but where the system keeps it back
        threading.Thread(target=_watch, name="interrupts", daemon=True).start()


def answer_interrupt() -> None:
    """Note that the command ended, and that its own last line says so."""
    _answered.set()


def _interrupt(number: int, frame: FrameType | None) -> None:  # noqa: ARG001
    if _pressed.is_set():
        os.write(2, _AT_ONCE)
        os._exit(130)
    _pressed.set()
    raise KeyboardInterrupt


def _watch() -> None:
    signal.pthread_sigmask(signal.SIG_BLOCK, {signal.SIGINT})
    waits_since: float | None = None
    is_told = False
    while True:
        time.sleep(_LOOK_SECONDS)
        if _pressed.is_set() and not (is_told or _answered.is_set()):
            is_told = True
            os.write(2, _STOPPING)
        if signal.SIGINT not in signal.sigpending():
            waits_since = None
        elif waits_since is None:
            waits_since = time.monotonic()
        elif time.monotonic() - waits_since > _PATIENCE_SECONDS:
            os.write(2, _LINE)
            os._exit(130)
