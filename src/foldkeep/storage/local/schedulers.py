"""The system's own schedulers: a user's timers of systemd, his crontab, his agents of launchd. Nothing runs as root."""

import os
import shutil
import subprocess
import sys
from collections.abc import Iterable, Mapping, Sequence
from contextlib import suppress
from datetime import timedelta
from typing import Protocol

from foldkeep.formats.schedules import (
    LAUNCHD_LABEL,
    MOST_BYTES,
    crontab_lines,
    launchd_plist,
    reminder_in,
    systemd_service,
    systemd_timer,
    without_reminder,
)
from foldkeep.model import UnusableInput, visible
from foldkeep.model.reminders import Reminder
from foldkeep.model.work import reason_of

_UNIT = "foldkeep-checkup"
_SECONDS = 20


class Scheduler(Protocol):
    """One of the system's schedulers, for the user that runs this."""

    @property
    def name(self) -> str:
        """What it is called."""
        ...

    @property
    def looks_every(self) -> timedelta:
        """How long after a look that was missed, or too early, the next one comes."""
        ...

    def is_here(self) -> bool:
        """Tell whether it runs on this machine, for this user."""
        ...

    def texts(self, reminder: Reminder) -> dict[str, str]:
        """Return what would be written for a reminder, and where."""
        ...

    def current(self) -> Reminder | None:
        """Return the reminder that is set; None if there is none of ours."""
        ...

    def put(self, reminder: Reminder) -> None:
        """Set a reminder, in the place of one that is set; raise UnusableInput if the scheduler refuses it."""
        ...

    def remove(self) -> None:
        """Take the reminder away, and nothing else; raise UnusableInput if the scheduler refuses."""
        ...


class Systemd:
    """Timers of the user's own systemd."""

    name, looks_every = "systemd", timedelta(days=1)

    def __init__(self, variables: Mapping[str, str]) -> None:
        self._variables = variables
        config = variables.get("XDG_CONFIG_HOME") or os.path.join(_home(variables), ".config")
        self._folder = os.path.join(config, "systemd", "user")

    def is_here(self) -> bool:
        """Tell whether a systemd runs for this user."""
        if not shutil.which("systemctl", path=self._variables.get("PATH")):
            return False
        try:
            self._systemctl("show-environment")
        except UnusableInput:
            return False
        return True

    def texts(self, reminder: Reminder) -> dict[str, str]:
        """Return the two units."""
        return {
            self._path("service"): systemd_service(reminder),
            self._path("timer"): systemd_timer(reminder),
        }

    def current(self) -> Reminder | None:
        """Return the reminder of the timer unit."""
        return _reminder_at(self._path("timer"))

    def put(self, reminder: Reminder) -> None:
        """Write the units and have the timer started."""
        _write_ours(self.texts(reminder))
        try:
            self._systemctl("daemon-reload")
            self._systemctl("enable", f"{_UNIT}.timer")
            self._systemctl("restart", f"{_UNIT}.timer")
        except UnusableInput:
            _remove_ours(self.texts(reminder))
            raise

    def remove(self) -> None:
        """Stop the timer and remove the units."""
        with suppress(UnusableInput):  # where no systemd runs any more, nothing has to be stopped
            self._systemctl("disable", "--now", f"{_UNIT}.timer")
        _remove_ours((self._path("timer"), self._path("service")))
        with suppress(UnusableInput):
            self._systemctl("daemon-reload")

    def _path(self, kind: str) -> str:
        return os.path.join(self._folder, f"{_UNIT}.{kind}")

    def _systemctl(self, *words: str) -> None:
        _run(["systemctl", "--user", *words], self._variables)


class Cron:
    """The user's crontab."""

    name, looks_every = "cron", timedelta(hours=1)

    def __init__(self, variables: Mapping[str, str]) -> None:
        self._variables = variables

    def is_here(self) -> bool:
        """Tell whether a crontab can be had."""
        return shutil.which("crontab", path=self._variables.get("PATH")) is not None

    def texts(self, reminder: Reminder) -> dict[str, str]:
        """Return the two lines."""
        return {"your crontab": crontab_lines(reminder)}

    def current(self) -> Reminder | None:
        """Return the reminder in the crontab."""
        return reminder_in(self._read()) if self.is_here() else None

    def put(self, reminder: Reminder) -> None:
        """Add the lines to the crontab; those of a reminder before go."""
        others = without_reminder(self._read())
        if others and not others.endswith("\n"):
            others += "\n"
        self._write(others + crontab_lines(reminder))

    def remove(self) -> None:
        """Take the lines out of the crontab."""
        self._write(without_reminder(self._read()))

    def _read(self) -> str:
        try:
            return _run(["crontab", "-l"], self._variables)
        except UnusableInput as error:
            if "no crontab" in error.what:
                return ""
            raise

    def _write(self, text: str) -> None:
        if text:
            _run(["crontab", "-"], self._variables, text)
        else:
            _run(["crontab", "-r"], self._variables)


class Launchd:
    """The user's agents of launchd (macOS)."""

    name, looks_every = "launchd", timedelta(days=1)

    def __init__(self, variables: Mapping[str, str]) -> None:
        self._variables = variables
        agents = os.path.join(_home(variables), "Library", "LaunchAgents")
        self._path = os.path.join(agents, f"{LAUNCHD_LABEL}.plist")

    def is_here(self) -> bool:
        """Tell whether this is macOS."""
        return sys.platform == "darwin"

    def texts(self, reminder: Reminder) -> dict[str, str]:
        """Return the property list."""
        return {self._path: launchd_plist(reminder).decode()}

    def current(self) -> Reminder | None:
        """Return the reminder of the property list."""
        return _reminder_at(self._path)

    def put(self, reminder: Reminder) -> None:
        """Write the property list and have it loaded."""
        with suppress(UnusableInput):
            self._launchctl("bootout", f"{self._domain}/{LAUNCHD_LABEL}")
        _write_ours(self.texts(reminder))
        try:
            self._launchctl("bootstrap", self._domain, self._path)
        except UnusableInput:
            _remove_ours((self._path,))
            raise

    def remove(self) -> None:
        """Have the property list unloaded, and remove it."""
        with suppress(UnusableInput):
            self._launchctl("bootout", f"{self._domain}/{LAUNCHD_LABEL}")
        _remove_ours((self._path,))

    @property
    def _domain(self) -> str:
        return f"gui/{os.getuid()}"

    def _launchctl(self, *words: str) -> None:
        _run(["launchctl", *words], self._variables)


def schedulers(variables: Mapping[str, str]) -> tuple[Scheduler, ...]:
    """Return the schedulers that are known, the one that is preferred first."""
    return Systemd(variables), Launchd(variables), Cron(variables)


def _home(variables: Mapping[str, str]) -> str:
    return variables.get("HOME") or os.path.expanduser("~")


def _run(words: Sequence[str], variables: Mapping[str, str], given: str = "") -> str:
    """Run a program of the system and return what it says; raise UnusableInput if it fails or hangs."""
    what = " ".join(words[:3])
    try:
        done = subprocess.run(
            words, input=given.encode("utf-8", "surrogateescape"), env={**variables, "LC_ALL": "C"},
            capture_output=True, timeout=_SECONDS, check=False,
        )  # fmt: skip
    except (OSError, subprocess.TimeoutExpired) as error:
        why = reason_of(error) if isinstance(error, OSError) else f"no answer in {_SECONDS} s"
        raise UnusableInput(f"cannot run {what}: {why}", "see to that, or take another with --scheduler") from error
    if done.returncode:
        said = visible(done.stderr.strip().split(b"\n")[-1]) or f"it ended with {done.returncode}"
        raise UnusableInput(f"{what}: {said}", "see to that, or take another with --scheduler")
    return done.stdout.decode("utf-8", "surrogateescape")


def _reminder_at(path: str) -> Reminder | None:
    try:
        with open(path, encoding="utf-8", errors="surrogateescape") as file:
            return reminder_in(file.read(MOST_BYTES))
    except OSError:
        return None


def _write_ours(texts: Mapping[str, str]) -> None:
    """Write files under names that are free, or that we wrote before; raise UnusableInput, and write none, if one is
    somebody else's."""
    for path in texts:
        if os.path.lexists(path) and _reminder_at(path) is None:
            raise UnusableInput(f"{visible(path)} is not Fold Keep's", "move it away, or take another with --scheduler")
    for path, text in texts.items():
        try:
            os.makedirs(os.path.dirname(path), exist_ok=True)
            new = f"{path}.{os.getpid()}"
            with open(new, "x", encoding="utf-8", errors="surrogateescape") as file:
                file.write(text)
            os.replace(new, path)
        except OSError as error:
            raise UnusableInput(f"cannot write {visible(path)}: {reason_of(error)}", "see to that") from error


def _remove_ours(paths: Iterable[str]) -> None:
    for path in paths:
        if _reminder_at(path) is not None:
            with suppress(FileNotFoundError):
                os.unlink(path)
