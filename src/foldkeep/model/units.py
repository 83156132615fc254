"""Sizes and moments: from what people write, and to what people and scripts read."""

import re
from datetime import UTC, datetime, time, timedelta
from functools import lru_cache

_SIZE_UNITS: dict[str, int] = {
    "": 1,
    "b": 1,
    **{f"{prefix}b": 1000**power for power, prefix in enumerate("kmgt", start=1)},
    **{f"{prefix}ib": 1024**power for power, prefix in enumerate("kmgt", start=1)},
}
_AGE_DAYS = {"d": 1.0, "w": 7.0, "m": 365.25 / 12, "y": 365.25}
_NUMBER_AND_UNIT = re.compile(r"\s*(\d{1,18}(?:\.\d{1,15})?)\s*([A-Za-z]{0,8})\s*")
_MOMENT = re.compile(r"(\d{4}-\d\d-\d\dT\d\d:\d\d:\d\d)(?:\.(\d{1,9}))?Z")
_MOST_DAYS = 3_650_000
_EPOCH = datetime(1970, 1, 1, tzinfo=UTC)
_QUARTER_NS = 15 * 60 * 1_000_000_000
_MOST_ZONES_NS = 26 * 4 * _QUARTER_NS


def parse_size(text: str) -> int:
    """Return the bytes meant by a size such as ``200MB`` (powers of 1000) or ``1.5GiB`` (powers of 1024).

    Raises
    ------
    ValueError
        If it is not a number with one of the units B, kB, MB, GB, TB, KiB, MiB, GiB, TiB.
    """
    found = _NUMBER_AND_UNIT.fullmatch(text)
    factor = _SIZE_UNITS.get(found[2].lower()) if found else None
    if found is None or factor is None:
        raise ValueError(f"not a size: {text!r}; write one like 200MB or 1.5GiB")
    return round(float(found[1]) * factor)


def parse_age(text: str) -> timedelta:
    """Return the time meant by an age such as ``30d``, ``2w``, ``6m`` or ``5y`` (mean Gregorian year).

    Raises
    ------
    ValueError
        If it is not a number with one of the units d, w, m, y.
    """
    found = _NUMBER_AND_UNIT.fullmatch(text)
    days = _AGE_DAYS.get(found[2]) if found else None
    if found is None or days is None:
        raise ValueError(f"not an age: {text!r}; write one like 30d, 2w, 6m or 5y")
    if float(found[1]) * days > _MOST_DAYS:
        raise ValueError(f"not an age: {text!r}; nothing is so old")
    return timedelta(days=float(found[1]) * days)


def parse_time_of_day(text: str) -> time:
    """Return the time of day meant by ``20:00``; raise ValueError if it is none."""
    found = re.fullmatch(r"([01]?\d|2[0-3]):([0-5]\d)", text)
    if found is None:
        raise ValueError(f"not a time of day: {text!r}; write one like 20:00")
    return time(int(found[1]), int(found[2]))


def parse_span(text: str) -> float:
    """Return the seconds meant by a span such as ``90s``, ``30min`` or ``1.5h``.

    Raises
    ------
    ValueError
        If it is not a number above 0 with one of the units s, min, h.
    """
    found = _NUMBER_AND_UNIT.fullmatch(text)
    seconds = {"s": 1.0, "min": 60.0, "h": 3600.0}.get(found[2].lower()) if found else None
    if found is None or seconds is None or not 0 < float(found[1]) * seconds < _MOST_DAYS * 86_400:
        raise ValueError(f"not a span of time: {text!r}; write one like 30min or 1.5h")
    return float(found[1]) * seconds


def parse_share(text: str) -> float:
    """Return the part meant by a percentage such as ``5%``, from 0 to 1; raise ValueError for anything else."""
    found = re.fullmatch(r"\s*(\d{1,3}(?:\.\d{1,6})?)\s*%\s*", text)
    if found is None or not 0 < float(found[1]) <= 100:
        raise ValueError(f"not a percentage: {text!r}; write one like 5%")
    return float(found[1]) / 100


def format_size(size: int) -> str:
    """Return a size for eyes: three significant digits, powers of 1000.

    >>> format_size(999), format_size(12_345_678)
    ('999 B', '12.3 MB')
    """
    if size < 1000:
        return f"{size} B"
    value = float(size)
    for unit in ("kB", "MB", "GB", "TB"):
        value /= 1000
        if value < 999.5 or unit == "TB":
            break
    digits = 2 if value < 9.995 else 1 if value < 99.95 else 0
    return f"{value:.{digits}f} {unit}"


def format_moment(nanoseconds: int) -> str:
    """Return nanoseconds since the epoch as ISO 8601 in UTC, to the last digit that is not zero.

    >>> format_moment(1_750_000_000_500_000_000)
    '2025-06-15T15:06:40.5Z'
    """
    seconds, rest = divmod(nanoseconds, 1_000_000_000)
    days, seconds = divmod(seconds, 86_400)
    minutes, seconds = divmod(seconds, 60)
    fraction = f".{rest:09d}".rstrip("0") if rest else ""
    return f"{_date(days)}T{minutes // 60:02d}:{minutes % 60:02d}:{seconds:02d}{fraction}Z"


@lru_cache(1024)
def _date(days: int) -> str:
    return (_EPOCH + timedelta(days=days)).date().isoformat()


@lru_cache(maxsize=1024)
def parse_moment(text: str) -> int:
    """Return the nanoseconds since the epoch that `format_moment` wrote.

    Raises
    ------
    ValueError
        If it has another form.
    """
    found = _MOMENT.fullmatch(text.strip())
    if found is None:
        raise ValueError(f"not a moment: {text!r}; write one like 2025-06-14T09:12:03Z")
    since = datetime.fromisoformat(found[1]).replace(tzinfo=UTC) - _EPOCH
    seconds = since.days * 86_400 + since.seconds
    return seconds * 1_000_000_000 + int((found[2] or "0").ljust(9, "0"))


def is_clock_change(nanoseconds: int) -> bool:
    """Tell whether two times differ as those do that a drive keeps by the clock on the wall (FAT): by time zones.

    Zones lie whole quarters of an hour apart, up to 26 hours with summer time.
    """
    return nanoseconds != 0 and nanoseconds % _QUARTER_NS == 0 and abs(nanoseconds) <= _MOST_ZONES_NS


def format_span(seconds: float) -> str:
    """Return a span of time in words, in the largest unit that it has one of.

    >>> format_span(7300)
    '2 hours'
    """
    for unit, length in (("day", 86_400), ("hour", 3_600), ("minute", 60), ("second", 1)):
        count = int(max(0, seconds) // length)
        if count or unit == "second":
            return f"{count:,} {unit}" + ("" if count == 1 else "s")
    return ""
