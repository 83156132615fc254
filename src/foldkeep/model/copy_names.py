"""Marks that file managers, browsers and imports leave in the names of copies."""

import re
from collections.abc import Sequence
from functools import lru_cache

from .companions import stem_of

_COPY_WORD = r"(?:copy|kopie|copie|copia)"
_CONFLICT = r"(?:conflict|konflikt|conflit|conflitt|konflik)"
# Programs that keep folders alike call so what two people changed: with a word for a copy, or a day, beside it.
_IN_CONFLICT = rf"""\( (?=[^()]*{_CONFLICT}) (?=[^()]*(?:{_COPY_WORD}|\d{{4}}-\d\d-\d\d)) [^()]* \)"""
_LOOKS_LIKE_A_COPY = re.compile(
    rf"""
      {_COPY_WORD} (?:\ \(\d+\))? \ (?:of|von|de|di)\ (?P<of>.*)  # "Copy of kite", "Copy (2) of kite"
    | (?P<plain>.+?) [\ _-]+ {_COPY_WORD} [\ _-]* (?:\d+|\(\d+\))?  # "kite copy", "kite - Copy (2)", "kite_copy3"
    | (?P<told>.+?) [\ _-]* {_IN_CONFLICT}                      # "kite (conflicted copy 2024-06-13)"
    | (?P<dated>.+?) [._-] (?:sync-)? {_CONFLICT} [._-] \d{{8}} .*  # "kite.sync-conflict-20240613-101500"
    | (?P<counted>.* [^\ ]) \ ?\(\d{{1,3}}\)                      # "kite (1)", "kite(1)"
    """,
    re.VERBOSE | re.IGNORECASE | re.DOTALL,
)
_MOMENT = r"\d{4}([-_.]?)\d\d\1\d\d(?:[T\ _-]?\d\d([-_.:]?)\d\d(?:\2\d\d)?)?"
_ADDED_BEFORE = re.compile(rf"{_MOMENT}[\ _-]+", re.ASCII | re.IGNORECASE)
_ADDED_AFTER = re.compile(rf"[\ _-]+(?:{_MOMENT}|\d{{1,2}})\Z", re.ASCII | re.IGNORECASE)


@lru_cache(4096)
def looks_like_a_copy(name: bytes) -> bool:
    """Tell whether a file name has the marks that file managers and browsers give to copies."""
    return _LOOKS_LIKE_A_COPY.fullmatch(_stem(name)) is not None


def plain_stem(name: bytes) -> str:
    """Return the stem of a file name in lower case, without the marks of a copy.

    >>> plain_stem(b"Copy of Kite (2).jpg")
    'kite'
    """
    stem = _stem(name).casefold()
    if ")" not in stem and "op" not in stem and "onf" not in stem:  # nearly every name: no word for a copy has neither
        return stem
    while found := _LOOKS_LIKE_A_COPY.fullmatch(stem):
        stem = next((part for part in found.groups() if part is not None), "")
    return stem


def copy_marks(names: Sequence[bytes]) -> list[bool]:
    """Tell of each name of files with one content whether it looks like a copy's.

    A number or a moment at the end or the beginning (``kite-2``, ``2025-06-13 kite``) says nothing by itself,
    since cameras and people write such names too; it does where another file has the name without it.
    """
    if len(names) > 1 and len(set(names)) == 1:  # as most copies are: no other name tells anything of it
        return [looks_like_a_copy(names[0])] * len(names)
    stems = [_stem(name).casefold() for name in names]
    plain = set(stems)
    return [
        looks_like_a_copy(name) or not plain.isdisjoint(_without_additions(stem))
        for name, stem in zip(names, stems, strict=True)
    ]


def _without_additions(stem: str) -> list[str]:
    before, after = _ADDED_BEFORE.match(stem), _ADDED_AFTER.search(stem)
    return [
        *([stem[before.end() :]] if before else []),
        *([stem[: after.start()]] if after else []),
    ]


def _stem(name: bytes) -> str:
    return stem_of(name).decode("utf-8", "replace")
