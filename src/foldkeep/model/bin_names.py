"""Where the bins of desktops lie, told by their names alone.

The freedesktop.org Trash specification (1.0) has one in the user's data folder and up to two at the top of each volume;
other systems have folders of their own names there.
"""

import re

from .names import PathBytes

_AT_THE_TOP = re.compile(rb"\.Trash-\d+")
_OF_OTHER_SYSTEMS = frozenset({b"$recycle.bin", b"recycler", b"recycled", b".trashes", b"#recycle"})
_HOME = (b"share", b"Trash")


def may_lie_in_a_bin(path: PathBytes) -> bool:
    """Tell whether an absolute path may lie in a bin, by the names that any desktop gives one, wherever it is.

    Wider than `bin_above`: nothing of that may stand for a file that goes, though a scan looks at it.

    >>> may_lie_in_a_bin(b"/data/Trash/files/a.jpg"), may_lie_in_a_bin(b"/data/Trash/a.jpg")
    (True, False)
    """
    steps = path.split(b"/")[:-1]
    return any(
        step.startswith(b".Trash") or step.lower() in _OF_OTHER_SYSTEMS
        or (step == b"Trash" and following in (b"files", b"info"))
        for step, following in zip(steps, [*steps[1:], b""], strict=True)
    )  # fmt: skip


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
