"""Names that programs give to files of their caches, and those that people give."""

import re

# Numbers, digests and ids of programs: 000123, 2f9ac01b44de, 0b6f3c1e-8c55-4d0e-9a1b-3f1f6f0f8a77
_MACHINE_MADE = re.compile(r"\d+|(?=.*\d)[0-9a-f]{8,}|[0-9a-f]{8}(?:-[0-9a-f]{4}){3}-[0-9a-f]{12}", re.IGNORECASE)
_DATE = re.compile(r"(?:^|\D)(?:19|20)\d\d[-_. ]?[01]\d[-_. ]?[0-3]\d(?:\D|$)")  # people name files by the day
_SHORTEST_DATE = 8
_BETWEEN = re.compile(r"[-_. ]+")


def is_machine_made(stem: bytes) -> bool:
    """Tell whether only a program names a file so; every part between dashes, dots or spaces must be such a name.

    >>> [is_machine_made(stem) for stem in (b"000123", b"2f9ac01b44de_0001", b"harbour final", b"v2", b"2025-06-14")]
    [True, True, False, False, False]
    """
    if stem.isdigit() and len(stem) < _SHORTEST_DATE:
        return True
    text = stem.decode("utf-8", "replace")
    if _DATE.search(text):
        return False
    if _MACHINE_MADE.fullmatch(text):
        return True
    parts = [part for part in _BETWEEN.split(text) if part]
    return bool(parts) and all(_MACHINE_MADE.fullmatch(part) for part in parts)
