"""Manifests of caches: which file was made from which, in the simple forms that programs write."""

import json
import os
import re
from collections.abc import Iterator

from ..reading import read_whole, text_of

_BETWEEN = re.compile(r"\s*(?:\t|,|;|=|->|\|)\s*")


def records_of(path: bytes) -> Iterator[list[str]]:
    """Yield the texts that belong together in a manifest: a line's columns, or a JSON object's key and values.

    Raises OSError or ValueError if it cannot be read.
    """
    text = text_of(read_whole(os.fsdecode(path)))
    if not text.lstrip().startswith(("{", "[")):
        for line in text.splitlines():
            yield [part.strip(" \"'") for part in _BETWEEN.split(line.strip())]
        return
    found: list[list[str]] = []

    def note(pairs: list[tuple[str, object]]) -> None:
        found.extend([key, value] for key, value in pairs if isinstance(value, str))
        found.append([value for _, value in pairs if isinstance(value, str)])

    try:
        json.loads(text, object_pairs_hook=note)
    except RecursionError as error:
        raise ValueError("it is nested too deep") from error
    yield from found
