"""Ways to tell a person what a check-up found who did not ask for it just now: desktop, mail, a file."""

import asyncio
import os
import shutil
import subprocess
import time
from collections.abc import Mapping

from foldkeep.formats.own import new_file
from foldkeep.model.work import reason_of

from .answers.checkup import CheckUpAnswer
from .page.page import Page
from .page.words import local_day

_SECONDS = 20
_LINES_SHOWN = 5


class NotTold(Exception):
    """Reason why a person could not be told that way; the words say what kept it."""


def tell(answer: CheckUpAnswer, by: str, variables: Mapping[str, str]) -> str:
    """Tell what wants a person by ``desktop``, ``mail`` or ``file``; return where it was told.

    What cannot be told otherwise goes into a file, so that it is not lost.

    Raises
    ------
    UnusableInput
        If no file can be written either.
    """
    try:
        if by == "desktop":
            asyncio.run(asyncio.wait_for(_notify(answer, variables), _SECONDS))
            return "on the desktop"
        if by == "mail":
            return _mail(answer, variables)
    except NotTold as error:
        return f"in {_write(answer, variables)}, since {error}"
    except TimeoutError:
        return f"in {_write(answer, variables)}, since the desktop did not answer"
    return f"in {_write(answer, variables)}"


def title_of(answer: CheckUpAnswer) -> str:
    """Return one line that says how much wants a person."""
    return f"Fold Keep: {answer.verdict}"


def brief_of(answer: CheckUpAnswer) -> str:
    """Return a few lines: what wants a person, and the command to go on with."""
    lines = [f"{line.topic}: {line.words}" for line in answer.lines if line.wants_person]
    if len(lines) > _LINES_SHOWN:
        lines[_LINES_SHOWN:] = [f"and {len(lines) - _LINES_SHOWN} more"]
    return "\n".join([*lines, "foldkeep checkup"])


async def _notify(answer: CheckUpAnswer, variables: Mapping[str, str]) -> None:
    """Have the desktop show a notification (Desktop Notifications Specification 1.2)."""
    from dbus_fast import Message, MessageType
    from dbus_fast.aio import MessageBus

    # A scheduler's own environment need not name the bus; there it is where systemd's user session has it.
    address = variables.get("DBUS_SESSION_BUS_ADDRESS") or f"unix:path=/run/user/{os.getuid()}/bus"
    # The body takes markup where a server has that: an ampersand or angle bracket of a name must not be one.
    body = brief_of(answer).replace("&", "&amp;").replace("<", "&lt;").replace(">", "&gt;")
    message = Message(
        destination="org.freedesktop.Notifications",
        path="/org/freedesktop/Notifications",
        interface="org.freedesktop.Notifications",
        member="Notify",
        signature="susssasa{sv}i",
        body=["Fold Keep", 0, "", title_of(answer), body, [], {}, -1],
    )
    try:
        bus = await MessageBus(bus_address=address).connect()
        try:
            reply = await bus.call(message)
        finally:
            bus.disconnect()
    except Exception as error:  # the library raises what its parts raise
        raise NotTold(f"no desktop can be reached ({type(error).__name__})") from error
    if reply is None or reply.message_type is MessageType.ERROR:
        said = str(reply.body[0]) if reply and reply.body else "no answer"
        raise NotTold(f"the desktop takes no notification ({said})")


def _mail(answer: CheckUpAnswer, variables: Mapping[str, str]) -> str:
    """Send a mail to the user of this machine by its own mail program."""
    import getpass

    program = shutil.which("mail", path=variables.get("PATH"))
    if program is None:
        raise NotTold("there is no mail program here")
    user = variables.get("LOGNAME") or variables.get("USER") or getpass.getuser()
    try:
        done = subprocess.run(
            [program, "-s", title_of(answer), user], input=_text(answer).encode("utf-8", "backslashreplace"),
            env=dict(variables), capture_output=True, timeout=_SECONDS, check=False,
        )  # fmt: skip
    except (OSError, subprocess.TimeoutExpired) as error:
        why = reason_of(error) if isinstance(error, OSError) else "no answer"
        raise NotTold(f"the mail program failed: {why}") from error
    if done.returncode:
        raise NotTold(f"the mail program ended with {done.returncode}")
    return f"by mail to {user}"


def _write(answer: CheckUpAnswer, variables: Mapping[str, str]) -> str:
    """Write a new file where the user sees it: on the desktop, else in his home folder."""
    home = variables.get("HOME") or os.path.expanduser("~")
    desktop = os.path.join(home, "Desktop")
    folder = desktop if os.path.isdir(desktop) else home
    day = local_day(time.time_ns())
    with new_file(os.path.join(folder, f"Fold Keep check-up {day}.txt")) as (path, stream):
        stream.write(_text(answer).encode("utf-8", "backslashreplace"))
    return path


def _text(answer: CheckUpAnswer) -> str:
    from io import StringIO

    text = StringIO()
    answer.write(Page(text, terminal=False, color=False))
    return text.getvalue()
