"""Numbers, times and lengths of time as words."""

import time
from collections import Counter
from collections.abc import Iterable, Sequence

from foldkeep.model import visible
from foldkeep.model.remote import SOMEBODY_ELSE
from foldkeep.model.units import format_size


def count(number: int, noun: str, plural: str = "") -> str:
    """Return a number with its noun, in the plural where it is due."""
    return f"{number:,} {noun if number == 1 else plural or noun + 's'}"


def more(number: int, noun: str = "", plural: str = "") -> str:
    """Return a number of things that are not shown.

    >>> more(1, "set"), more(7, "set"), more(1200)
    ('1 more set', '7 more sets', '1,200 more')
    """
    return f"{number:,} more {noun if number == 1 else plural or noun + 's' * bool(noun)}".rstrip()


def agree(number: int, one: str = "is", several: str = "are") -> str:
    """Return the form of a verb that agrees with a number."""
    return one if number == 1 else several


def figures(spares: int, sets: int, others: int, size: int) -> str:
    """Return how much goes, in one form for a proposal, the question before it and what became of it.

    Parameters
    ----------
    spares, sets
        Spares, and in how many sets they are; 0 sets if that is not known any more.
    others
        Files that go with them: companions, and earlier versions of sidecars.
    size
        Of all of them together, in bytes.

    >>> figures(36, 27, 2, 3_700_000)
    '36 spares in 27 sets, and 2 files that go with them: 38 files, 3.70 MB'
    """
    head = count(spares, "spare") + (f" in {count(sets, 'set')}" if sets else "")
    if not others:
        return f"{head}, {format_size(size)}"
    verb = agree(others, "goes", "go")
    whole = f"{count(spares + others, 'file')}, {format_size(size)}"
    return f"{head}, and {count(others, 'file')} that {verb} with {agree(spares, 'it', 'them')}: {whole}"


def joined(words: Sequence[str]) -> str:
    """Return words as a list in a sentence.

    >>> joined(["1"]), joined(["1", "3", "4"])
    ('1', '1, 3 and 4')
    """
    return " and ".join(filter(None, (", ".join(words[:-1]), *words[-1:])))


def duration(seconds: float) -> str:
    """Return a length of time."""
    if seconds < 0.1:
        return "less than 0.1 s"
    return f"{seconds:.1f} s" if seconds < 60 else f"{seconds // 60:.0f} min {seconds % 60:.0f} s"


def local_time(nanoseconds: int) -> str:
    """Return a moment, given in nanoseconds since the epoch, in the time zone of this machine."""
    return time.strftime("%Y-%m-%d %H:%M", time.localtime(nanoseconds // 1_000_000_000))


def local_day(nanoseconds: int) -> str:
    """Return the day of a moment, given in nanoseconds since the epoch, in the time zone of this machine."""
    return local_time(nanoseconds)[:10]


def names_apart(paths: Iterable[bytes]) -> dict[bytes, str]:
    """Return what folders are called: their names, with as many of those above as tell them apart."""
    steps = {path: path.split(b"/") for path in paths}
    names: dict[bytes, str] = {}
    depth = 1
    while steps:
        ends = Counter(tuple(parts[-depth:]) for parts in steps.values())
        alone = [path for path, parts in steps.items() if ends[tuple(parts[-depth:])] == 1]
        names |= {path: visible(b"/".join(steps.pop(path)[-depth:])) for path in alone}
        depth += 1
    return names


def owner_name(number: int) -> str:
    """Return the name of a user, or the number where the system knows none."""
    import pwd

    if number == SOMEBODY_ELSE:
        return "somebody else"
    try:
        return visible(pwd.getpwuid(number).pw_name)
    except KeyError:
        return str(number)
