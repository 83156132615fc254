"""What is remembered of a docket that was made."""

import json
import os
from collections.abc import Mapping
from dataclasses import asdict, dataclass
from enum import StrEnum
from typing import Any, NamedTuple, Self

_FORMAT = 1


class DocketState(StrEnum):
    """What became of a docket."""

    OPEN = "open"
    BEGUN = "begun"
    CARRIED_OUT = "carried out"
    SUPERSEDED = "superseded"
    GONE = "gone"


class SheetOf(NamedTuple):
    """A sheet that was made of a docket: where it was written, when, and the digest of the docket that it shows."""

    page: str
    made_ns: int
    digest: str


@dataclass(frozen=True, slots=True)
class MadeDocket:
    """A docket that a finder made.

    Attributes
    ----------
    path
        Absolute; of one without a name of its own in the folder of the register.
    command
        The command line that made it, without where it was to be written.
    question
        What was asked, in a form in which equal questions are equal.
    digests
        BLAKE3 of the file as Fold Keep wrote or saved it last, as hexadecimal digits; before, as it was, since a save
        may have ended between the two.
    sets, spares, size
        What it proposed to fold when it was made; the size in bytes.
    edited
        1 if another program changed the file before Fold Keep saved it; what was decided there is marked nowhere.
    superseded_by
        Name of the docket that took its place; empty if none did.
    begun_ns
        When carrying it out was begun; 0 if never.
    runs, left
        Runs that carried it out, and how many of its files the last one left.
    """

    number: int
    path: str
    command: str
    question: str
    made_ns: int
    digests: tuple[str, ...]
    sets: int = 0
    spares: int = 0
    size: int = 0
    edited: int = 0
    superseded_by: str = ""
    begun_ns: int = 0
    runs: tuple[int, ...] = ()
    left: int = 0
    sheets: tuple[SheetOf, ...] = ()

    @property
    def name(self) -> str:
        """What it is called: ``d`` and its number, unlike runs."""
        return f"d{self.number}"

    @property
    def shown(self) -> str:
        """What a person types for it: its number, or the file of his own that has it."""
        return self.name if os.path.basename(self.path) == f"{self.name}.csv" else self.path

    def written(self) -> bytes:
        """Return it as it is kept in a file."""
        return json.dumps({"format": _FORMAT, **asdict(self)}, indent=1).encode()

    @classmethod
    def read(cls, content: bytes) -> Self:
        """Return what `written` gave; raise ValueError if it is no such thing."""
        try:
            told = json.loads(content)
        except RecursionError as error:
            raise ValueError("it is nested too deeply") from error
        if not isinstance(told, Mapping) or told.get("format") != _FORMAT:
            raise ValueError("it is no record of a docket")
        found: dict[str, Any] = {}
        for name, kind in _FIELDS.items():
            value = told.get(name, kind())
            if not isinstance(value, kind) or isinstance(value, bool):
                raise ValueError(f"{name} is no {kind.__name__}")
            found[name] = value
        digests, runs, sheets = told.get("digests"), told.get("runs", []), told.get("sheets", [])
        if not (isinstance(digests, list) and digests and all(isinstance(each, str) for each in digests)):
            raise ValueError("its digests are no texts")
        if not (isinstance(runs, list) and all(isinstance(run, int) for run in runs)):
            raise ValueError("its runs are no numbers")
        if not (isinstance(sheets, list) and all(map(_is_sheet, sheets))):
            raise ValueError("its sheets are none")
        return cls(**found, digests=tuple(digests), runs=tuple(runs), sheets=tuple(SheetOf(*each) for each in sheets))


class ToldDocket(NamedTuple):
    """A docket that is told of.

    Attributes
    ----------
    decided
        How many of its sets a person decided about.
    is_changed
        Another program changed it.
    """

    made: MadeDocket
    state: DocketState
    decided: int
    is_changed: bool


_FIELDS: dict[str, type] = {
    "number": int, "path": str, "command": str, "question": str, "made_ns": int, "sets": int,
    "spares": int, "size": int, "superseded_by": str, "edited": int, "begun_ns": int, "left": int,
}  # fmt: skip


def _is_sheet(told: object) -> bool:
    """Tell whether a value is what is written of a sheet: a page, a moment, a digest."""
    kinds = (str, int, str)
    return (
        isinstance(told, list)
        and len(told) == len(kinds)
        and all(isinstance(each, kind) for each, kind in zip(told, kinds, strict=True))
    )
