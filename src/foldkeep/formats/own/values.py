"""Values of TOML files, each checked and turned into ours; a ValueError says what to write instead."""

import re
from collections.abc import Callable, Sequence
from typing import Any

from foldkeep.model.reminders import parse_period
from foldkeep.model.units import parse_age, parse_size, parse_time_of_day


def flag(value: Any) -> bool:
    """Return a value that is true or false; raise ValueError if it is neither."""
    if not isinstance(value, bool):
        raise ValueError("write true or false")
    return value


def words(value: Any) -> tuple[str, ...]:
    """Return a list of words; raise ValueError if it is none."""
    if not isinstance(value, list) or not all(isinstance(word, str) and word for word in value):
        raise ValueError('write a list of words, like ["one", "two"]')
    return tuple(value)


def suffixes(value: Any) -> tuple[str, ...]:
    return tuple(word.removeprefix(".").lower() for word in words(value))


def size(value: Any) -> int:
    if isinstance(value, int) and not isinstance(value, bool) and value >= 0:
        return value
    if not isinstance(value, str):
        raise ValueError("write a size like '200MB' or a number of bytes")
    return parse_size(value)


def number(value: Any) -> int:
    if not isinstance(value, int) or isinstance(value, bool) or value < 1:
        raise ValueError("write a number from 1 on")
    return value


def text(value: Any) -> str:
    if not isinstance(value, str):
        raise ValueError("write a text")
    return value


def color(value: Any) -> str:
    """Return a colour written as web pages do, ``#RRGGBB``; raise ValueError if it is none."""
    if not isinstance(value, str) or not re.fullmatch("#[0-9A-Fa-f]{6}", value):
        raise ValueError("write a colour like '#aa3377'")
    return value


def age(value: Any) -> str:
    parse_age(text(value))
    return str(value)


def period(value: Any) -> str:
    """Return a time between reminders; raise ValueError if it is none."""
    parse_period(text(value))
    return str(value)


def time_of_day(value: Any) -> str:
    """Return a time of day, ``HH:MM``; raise ValueError if it is none."""
    parse_time_of_day(text(value))
    return str(value)


def one_of(choices: Sequence[str]) -> Callable[[Any], str]:
    """Return what checks that a value is one of some words."""

    def chosen(value: Any) -> str:
        if value not in choices:
            raise ValueError(f"write one of {', '.join(filter(None, choices))}")
        return str(value)

    return chosen


def name(value: Any) -> str:
    """Return a text that is not empty."""
    if not text(value):
        raise ValueError("write a text")
    return str(value)


def some(value: Any) -> tuple[str, ...]:
    """Return a list of at least one word."""
    if not (found := words(value)):
        raise ValueError("write at least one")
    return found
