"""Reminders: when a check-up is due, and what the last one found."""

from datetime import datetime, time, timedelta
from typing import NamedTuple

from .units import parse_age, parse_time_of_day

_MOST_DAYS = 366


class CheckedUp(NamedTuple):
    """What was found when something was looked at last.

    Attributes
    ----------
    made_ns
        When, in nanoseconds since the epoch; 0 if never.
    number, bytes
        How much there was of it.
    names
        What it consisted of, where that is told one by one.
    """

    made_ns: int = 0
    number: int = 0
    bytes: int = 0
    names: frozenset[str] = frozenset()


def parse_period(text: str) -> int:
    """Return the days meant by an age such as ``2w``; raise ValueError below a day and above a year."""
    days = round(parse_age(text) / timedelta(days=1))
    if not 1 <= days <= _MOST_DAYS:
        raise ValueError(f"not a time between reminders: {text!r}; write one from 1d to 1y")
    return days


class Reminder(NamedTuple):
    """A check-up that the system's scheduler asks for.

    Attributes
    ----------
    every, at
        How often, and when in the day, as a person writes it.
    by
        By what means a person is told.
    command
        The words of the command line that looks whether one is due.
    """

    every: str
    at: str
    by: str
    command: tuple[str, ...] = ()

    def next_due(self, last_ns: int, now: datetime) -> datetime:
        """Return when the next check-up is due, in the time zone of `now`, which may be in the past.

        Days are counted, not hours: a check-up that came late, since the machine was asleep, moves none after it.

        Parameters
        ----------
        last_ns
            When the last one was, nanoseconds since the epoch; 0 if none was. One in the future, by a clock that was
            wrong, does not count.
        """
        last = datetime.fromtimestamp(last_ns // 1_000_000_000, now.tzinfo)
        at = parse_time_of_day(self.at)
        if not last_ns or last > now:
            return _on(now, at)
        return _on(last + timedelta(days=parse_period(self.every)), at)


def _on(day: datetime, at: time) -> datetime:
    return day.replace(hour=at.hour, minute=at.minute, second=0, microsecond=0)
