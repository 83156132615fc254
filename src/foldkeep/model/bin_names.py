"""Where the bins of desktops lie, told by their names alone.

The freedesktop.org Trash specification (1.0) has one in the user's data folder and up to two at the top of each volume;
other systems have folders of their own names there.
"""

import re

from .names import PathBytes

_AT_THE_TOP = re.compile(rb"\.Trash-\d+")
_OF_OTHER_SYSTEMS = frozenset({b"$recycle.bin", b"recycler", b"recycled", b".trashes", b"#recycle"})
_HOME = (b"share", b"Trash")


def bin_above(path: PathBytes) -> PathBytes | None:
    """Return the bin that an absolute path lies in; None if it lies in none.

    >>> bin_above(b"/media/kites/.Trash-1000/files/a.jpg")
    b'/media/kites/.Trash-1000'
    """
    steps = path.split(b"/")
    for at, step in enumerate(steps[:-1]):
        if _AT_THE_TOP.fullmatch(step) or step.lower() in _OF_OTHER_SYSTEMS:
            return b"/".join(steps[: at + 1])
        if step == b".Trash" and steps[at + 1].isdigit():
            return b"/".join(steps[: at + 2])
        if step == b"Trash" and (steps[at - 1], step) == _HOME and steps[at + 1] in (b"files", b"info"):
            return b"/".join(steps[: at + 1])
    return None
