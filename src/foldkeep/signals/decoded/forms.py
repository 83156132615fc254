"""The form of a file: what must agree for two files to decode to the same, told by their headers alone."""

import json
from collections import defaultdict
from collections.abc import Iterable, Iterator
from typing import NamedTuple

from foldkeep.storage.local.reading import FILE, open_path

from ..media import undecodable
from .stills import is_still, still_form
from .tracks import tracks_form

_APART, _SAMPLES_APART = 0.2, 0.003  # seconds; containers round lengths, or tell those of the longest track


class Form(NamedTuple):
    """What must agree for two files to decode to the same, and what must not.

    Attributes
    ----------
    key
        What must be equal.
    coding
        What must differ, since two files that are coded alike and have other bytes decode to something else; empty
        if it need not.
    seconds
        The length, which must be about the same; 0 of pictures.
    """

    key: str
    coding: str
    seconds: float

    @classmethod
    def read(cls, known: bytes) -> "Form":
        """Return a form as `form_of` wrote it."""
        return cls(*json.loads(known))


def form_of(path: bytes) -> bytes:
    """Return the form of a file as JSON; empty if nothing can be told to decode to the same.

    Raises
    ------
    OSError
        If the system does not let it be read.
    """
    try:
        with open(open_path(path, FILE), "rb") as file:
            found = still_form(file) if is_still(file) else tracks_form(file)
    except Exception as error:  # these libraries raise whatever a broken file leads them to
        undecodable(error)
        return b""
    return json.dumps(found).encode() if found else b""


class _Measured(NamedTuple):
    """A file by its length, with what another must not have in common with it."""

    seconds: float
    number: int
    value: object
    apart: float


def may_agree(forms: Iterable[tuple[int, object, Form]]) -> set[int]:
    """Return the numbers of the files, of number, content and form, that may decode to the same as another content."""
    by_key: dict[str, list[_Measured]] = defaultdict(list)
    for number, content, form in forms:
        apart = _APART if form.coding else _SAMPLES_APART
        by_key[form.key].append(_Measured(form.seconds, number, form.coding or content, apart))
    found: set[int] = set()
    for files in by_key.values():
        files.sort(key=lambda each: each[:2])
        found.update(_beside_another(files), _beside_another(reversed(files)))
    return found


def _beside_another(files: Iterable[_Measured]) -> Iterator[int]:
    """Yield the numbers of files that have one of another content, or coding, close before them."""
    last: _Measured | None = None
    other: _Measured | None = None  # the last one that is not as that
    for each in files:
        is_as_last = last is not None and last.value == each.value
        near = other if is_as_last else last
        if near is not None and abs(near.seconds - each.seconds) <= each.apart:
            yield each.number
        if not is_as_last:
            other = last
        last = each
