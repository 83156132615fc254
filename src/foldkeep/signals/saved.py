"""What was measured of contents, as inventories carry it: prints, and what files say of themselves, as JSON.

A machine that reads it did not measure it: whatever makes no sense is refused.
"""

import base64
import json
import math
from collections.abc import Collection, Iterable, Iterator, Mapping
from dataclasses import fields
from typing import Any, NamedTuple

from foldkeep.model import Facts, Problem, Progress
from foldkeep.stock import KnownPrint, Prints, Stock

from .extractors import FILM_PRINT, MEDIA, MEDIA_FACTS, PHOTO_PRINT, SOUND_PRINT, Extractor
from .film_prints import BYTES_OF_FRAME, BYTES_OF_HEAD, MOST_FRAMES
from .gathering import make_prints
from .media_facts import make_facts
from .photo_prints import CUTS, SIDE

PRINTS = (PHOTO_PRINT, FILM_PRINT, SOUND_PRINT)
"""What makes the prints that inventories carry."""

_PRINT = 32  # bytes of the print of a picture
_LONGEST_SOUND = 4 * 1024 * 1024
_LONGEST_TEXT, _MOST_WORDS, _LARGEST = 10_000, 10_000, 2**53
_BLOBS = ("print", "parts", "detail")
_FIGURES = ("sharpness", "quality", "color", "within")


class Measured(NamedTuple):
    """What an inventory says of a content.

    Attributes
    ----------
    prints
        By what made them.
    facts
        What a file of it says of itself; None if nobody looked.
    """

    prints: Mapping[Extractor, KnownPrint]
    facts: Facts | None


def measure(
    stock: Stock, prints: Mapping[Extractor, Prints], here: Collection[int], progress: Progress
) -> list[Problem]:
    """Measure what is here and was not yet; return what could not be read now. The stock is held."""
    problems = make_facts(stock, here, progress)
    for extractor, kept in prints.items():
        problems += make_prints(stock, extractor, kept, here, extractor.kinds, progress)
    return problems


def printed(stock: Stock, prints: Mapping[Extractor, Prints], places: Collection[int]) -> list[bytes]:
    """Return the contents in places that have a print, in order of digest."""
    having = set[bytes]().union(*(of_it.digests() - of_it.without() for of_it in prints.values()))
    return sorted(having.intersection(each.digest for each in stock.signals.contents(MEDIA, places)))


def measured_signals(
    stock: Stock, prints: Mapping[Extractor, Prints], digests: Iterable[bytes]
) -> Iterator[tuple[bytes, str]]:
    """Yield contents with what was measured of each, as JSON."""
    for digest in digests:
        said: dict[str, Any] = {}
        for extractor, of_it in prints.items():
            if (known := of_it.of(digest)) and not known.problem:
                said[extractor.name] = _said(extractor, known)
        facts = stock.signals.of(digest, MEDIA_FACTS.name, MEDIA_FACTS.version)
        if facts:
            said[MEDIA_FACTS.name] = {"version": MEDIA_FACTS.version, **facts.values}
        yield digest, json.dumps(said)


def _said(extractor: Extractor, known: KnownPrint) -> dict[str, Any]:
    blobs = {name: base64.b64encode(blob).decode() for name in _BLOBS if (blob := getattr(known, name))}
    return {"version": extractor.version, **blobs, **{name: getattr(known, name) for name in _FIGURES}}


def read_signals(text: str) -> Measured:
    """Return what was measured of a content; what other versions measured is passed by.

    Raises ValueError if it makes no sense.
    """
    try:
        said = json.loads(text)
        if not isinstance(said, dict):
            raise ValueError("it is no object")
        prints = {each: _print(each, said[each.name]) for each in PRINTS if _is_of(each, said)}
        facts = _facts(said[MEDIA_FACTS.name]) if _is_of(MEDIA_FACTS, said) else None
    except (TypeError, KeyError, AttributeError, RecursionError, OverflowError) as error:
        raise ValueError(str(error)) from error
    return Measured(prints, facts)


def _is_of(extractor: Extractor, said: dict[str, Any]) -> bool:
    return extractor.name in said and said[extractor.name]["version"] == extractor.version


def _print(extractor: Extractor, said: dict[str, Any]) -> KnownPrint:
    whole, parts, detail = (base64.b64decode(said.get(name, ""), validate=True) for name in _BLOBS)
    if not _makes_sense(extractor, whole, parts, detail):
        raise ValueError(f"it is no {extractor.name}")
    sharpness, color, within = (_number(said[name]) for name in ("sharpness", "color", "within"))
    return KnownPrint(whole, parts, detail, sharpness, int(_number(said["quality"])), color, within)


def _makes_sense(extractor: Extractor, whole: bytes, parts: bytes, detail: bytes) -> bool:
    if extractor == PHOTO_PRINT:
        planes = len(whole) / _PRINT
        return planes in (1, 2) and len(parts) == _PRINT * len(CUTS) and len(detail) == planes * SIDE * SIDE
    if parts or detail:
        return False
    if extractor == SOUND_PRINT:
        return 0 < len(whole) <= _LONGEST_SOUND and len(whole) % 4 == 0
    frames = (len(whole) - BYTES_OF_HEAD) / BYTES_OF_FRAME
    return frames in range(1, 2 * MOST_FRAMES + 1)


def _number(value: Any) -> float:
    if isinstance(value, bool) or not isinstance(value, int | float) or not math.isfinite(value):
        raise ValueError("it is no number")
    if not 0 <= value <= _LARGEST:
        raise ValueError("it is out of range")
    return value


def _facts(said: dict[str, Any]) -> Facts:
    known: dict[str, Any] = {}
    for field in fields(Facts):
        value = said.get(field.name)
        if value is None:
            continue
        type_ = str(field.type)
        if type_.startswith("tuple"):
            known[field.name] = tuple(map(_text, value[:_MOST_WORDS]))
        elif type_.startswith("str"):
            known[field.name] = _text(value)
        else:
            # A rating may be below nothing.
            number = _number(abs(value)) and value
            known[field.name] = int(number) if type_.startswith("int") else float(number)
    return Facts(**known)


def _text(value: Any) -> str:
    if not isinstance(value, str):
        raise ValueError("it is no text")
    return value[:_LONGEST_TEXT]
