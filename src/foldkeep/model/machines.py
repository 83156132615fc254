"""Machines: which computer a file is known on, and how its path is written on another one.

A path on another machine is written with two slashes and that machine's name before it, ``//edit-07/media/kite.mov`` as
bytes; POSIX (IEEE Std 1003.1, 4.13) sets paths with two slashes at their beginning apart, and no path of a stock has
them. Its URI names the machine as its host (RFC 8089): ``file://edit-07/media/kite.mov``.
"""

import re
from typing import NamedTuple

_START = b"//"
_ID = re.compile("[0-9a-f]{32}")
_NAME = re.compile(r"[A-Za-z0-9]([A-Za-z0-9._-]{0,61}[A-Za-z0-9])?")
_UNNAMED = "machine"


class Machine(NamedTuple):
    """A computer with a stock of its own.

    Attributes
    ----------
    id
        What tells it from others whatever it is called: 32 hexadecimal digits, drawn at random when its stock was made;
        empty if it is not known.
    name
        What people call it, as host names are written (RFC 1123).
    """

    id: str
    name: str


def is_machine_id(text: str) -> bool:
    """Tell whether a text can be a machine's id: 32 hexadecimal digits."""
    return _ID.fullmatch(text) is not None


def is_machine_name(text: str) -> bool:
    """Tell whether a text can be a machine's name: letters, digits, dots, dashes and underscores, 63 at most."""
    return _NAME.fullmatch(text) is not None


def machine_name(text: str) -> str:
    """Return the nearest to a text that can be a machine's name.

    >>> machine_name("Edit bay 7 (old)")
    'Edit-bay-7-old'
    """
    name = re.sub(r"[^A-Za-z0-9._-]+", "-", text)[:63].strip("._-")
    return name if is_machine_name(name) else _UNNAMED


def path_on(machine: str, path: bytes) -> bytes:
    """Return how a machine's path is written elsewhere."""
    return _START + machine.encode() + path


def is_elsewhere(path: bytes) -> bool:
    """Tell whether a path is one on another machine."""
    return path.startswith(_START)


def split_machine(path: bytes) -> tuple[str, bytes]:
    """Return the machine's name and its own path of a path on another machine; raise ValueError for any other."""
    name, slash, rest = path.removeprefix(_START).partition(b"/")
    text = name.decode("ascii", "replace")
    if not is_elsewhere(path) or not slash or not is_machine_name(text):
        raise ValueError("not a path on another machine")
    return text, slash + rest
