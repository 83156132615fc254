"""What the schedulers of operating systems are told: units of systemd, lines of a crontab, a list of launchd."""

import json
import plistlib
import re

from foldkeep.model.reminders import Reminder, parse_period
from foldkeep.model.units import parse_time_of_day

MOST_BYTES = 1_000_000
"""The largest text that may be one of these."""

LAUNCHD_LABEL = "foldkeep.checkup"
"""The name under which launchd knows the job."""

DUE = "--if-due"
"""The option by which a scheduler's command is known."""

_MARK = "# Fold Keep reminder: "
_TOLD = ("every", "at", "by")


def systemd_service(reminder: Reminder) -> str:
    """Return the service unit (systemd.service(5)) that runs the reminder's command."""
    line = " ".join(map(_systemd_word, reminder.command))
    return f"""{_marked(reminder)}
[Unit]
Description=Fold Keep looks whether a check-up is due

[Service]
Type=oneshot
ExecStart={line}
Nice=10
IOSchedulingClass=idle
"""


def systemd_timer(reminder: Reminder) -> str:
    """Return the timer unit (systemd.timer(5)) that starts the service daily; missed while off, as soon as it is on."""
    at = parse_time_of_day(reminder.at)
    return f"""{_marked(reminder)}
[Unit]
Description=Fold Keep's check-up every {reminder.every}

[Timer]
OnCalendar=*-*-* {at:%H:%M}:00
Persistent=true
RandomizedDelaySec=60

[Install]
WantedBy=timers.target
"""


def _systemd_word(word: str) -> str:
    """Return a word as ExecStart takes it: quoted, with what systemd would replace doubled (systemd.service(5))."""
    escaped = word.replace("\\", "\\\\").replace('"', '\\"').replace("%", "%%").replace("$", "$$")
    return f'"{escaped}"'


def crontab_lines(reminder: Reminder) -> str:
    """Return the lines of a crontab (crontab(5)) that ask hourly, so that what was slept through is caught up."""
    at = parse_time_of_day(reminder.at)
    return f"{_marked(reminder)}\n{at.minute} * * * * {' '.join(map(_cron_word, reminder.command))}\n"


def _cron_word(word: str) -> str:
    """Return a word for the shell that cron starts; cron itself takes a percent sign for a new line."""
    quoted = word if re.fullmatch(r"[\w@+=:,./-]+", word, re.ASCII) else "'" + word.replace("'", "'\\''") + "'"
    return quoted.replace("%", "\\%")


def without_reminder(crontab: str) -> str:
    """Return a crontab without the lines of a reminder; all others stay as they are, byte for byte."""
    kept: list[str] = []
    is_behind_mark = False
    for line in crontab.splitlines(keepends=True):
        is_mark = line.startswith(_MARK)
        # Somebody may have put a line of his own in between.
        if not is_mark and not (is_behind_mark and DUE in line):
            kept.append(line)
        is_behind_mark = is_mark or (is_behind_mark and DUE not in line)
    return "".join(kept)


def launchd_plist(reminder: Reminder) -> bytes:
    """Return the property list (launchd.plist(5)) that runs the command daily; missed asleep, when it wakes."""
    at = parse_time_of_day(reminder.at)
    return plistlib.dumps(
        {
            "Label": LAUNCHD_LABEL,
            "ProgramArguments": list(reminder.command),
            "StartCalendarInterval": {"Hour": at.hour, "Minute": at.minute},
            "ProcessType": "Background",
            "LowPriorityIO": True,
            "EnvironmentVariables": {"FOLDKEEP_REMINDER": _said(reminder)},
        }
    )


def _marked(reminder: Reminder) -> str:
    return _MARK + _said(reminder)


def _said(reminder: Reminder) -> str:
    return json.dumps({name: getattr(reminder, name) for name in _TOLD})


def reminder_in(text: str) -> Reminder | None:
    """Return the reminder that a unit, a crontab or a property list of ours sets; None if it is none of ours."""
    marked = (line.removeprefix(_MARK) for line in text.splitlines() if line.startswith(_MARK))
    told = next(marked, None)
    if told is None:
        try:
            told = plistlib.loads(text.encode())["EnvironmentVariables"]["FOLDKEEP_REMINDER"]
        except Exception:  # plistlib raises what its parsers raise
            return None
    try:
        values = json.loads(told)
        every, at, by = (str(values[name]) for name in _TOLD)
        parse_period(every)
        parse_time_of_day(at)
        return Reminder(every, at, by)
    except (ValueError, TypeError, KeyError):
        return None
