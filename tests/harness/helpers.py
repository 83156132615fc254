"""Helper processes that outlive the command that started them: each takes most of a second to import what it needs."""

import os
import subprocess
from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any
from unittest.mock import patch

from foldkeep.signals.media_worker import Apart

_Lent = tuple["subprocess.Popen[bytes]", int, int]


@contextmanager
def lent_helpers() -> Iterator[None]:
    """Have commands of this process take helpers that are idle, and give them back where they would end them.

    One that is at work when it is ended, and any of a forked process, ends as ever.
    """
    idle: list[_Lent] = []
    owner = os.getpid()
    busy: set[int] = set()
    start, ask, close, kill = Apart._start, Apart._ask, Apart.close, Apart.kill

    def started(helper: Apart) -> None:
        while idle and os.getpid() == owner:
            process, questions, answers = idle.pop()
            if process.poll() is None:
                helper._helper, helper._questions, helper._answers = process, questions, answers
                return
            os.close(questions)
            os.close(answers)
        start(helper)

    def asked(helper: Apart, *args: Any) -> dict[str, Any]:
        busy.add(id(helper))
        answer = ask(helper, *args)  # one that was not waited for to its end may still come: it is ended as ever then
        busy.discard(id(helper))
        return answer

    def is_idle(helper: Apart) -> bool:
        return id(helper) not in busy and os.getpid() == owner

    def closed(helper: Apart) -> None:
        if helper._helper is not None and is_idle(helper) and helper._helper.poll() is None:
            idle.append((helper._helper, helper._questions, helper._answers))
            helper._helper = None
            return
        close(helper)
        busy.discard(id(helper))

    def killed(helper: Apart) -> None:
        if not is_idle(helper):
            kill(helper)

    changed = {"_start": started, "_ask": asked, "close": closed, "kill": killed}
    try:
        with patch.multiple(Apart, **changed):
            yield
    finally:
        for process, questions, answers in idle:
            os.close(questions)
            os.close(answers)
            process.kill()
            process.wait()


def as_ever() -> Any:
    """Return what has helpers end with the command that started them, as they do outside of tests."""
    return patch.multiple(Apart, **_REAL)


_REAL = {name: getattr(Apart, name) for name in ("_start", "_ask", "close", "kill")}
