"""How long timelines play: OpenTimelineIO, and CMX 3600 edit decision lists."""

import json
import os
import re
from typing import Any

from foldkeep.model.kinds import suffix_of

from ..reading import lines_of, opened_file, read_whole, text_of

# An event's last two time codes are where it begins and ends in the edit.
_CODE = r"(\d\d):(\d\d):(\d\d)[:;.,](\d\d)"
_EVENT = re.compile(rf"\s*\d{{3,6}}\s.*\s{_CODE}\s+{_CODE}\s*")


def timeline_seconds(path: bytes) -> float | None:
    """Return how long a timeline plays, in seconds; None where it does not tell, or cannot be read.

    Of an edit list, whose frame rate is not known, the frames are passed by: it is right to a second.
    """
    readers = {"edl": _edl_seconds, "otio": _otio_seconds}
    reader = readers.get(suffix_of(path.rpartition(b"/")[2]))
    if reader is None:
        return None
    try:
        return reader(os.fsdecode(path))
    except (OSError, ValueError, RecursionError, OverflowError):
        return None


def _edl_seconds(path: str) -> float | None:
    begins: list[int] = []
    ends: list[int] = []
    with opened_file(path) as file:
        for _, line in lines_of(file):
            if found := _EVENT.fullmatch(line):
                numbers = [int(number) for number in found.groups()]
                begins.append(numbers[0] * 3600 + numbers[1] * 60 + numbers[2])
                ends.append(numbers[4] * 3600 + numbers[5] * 60 + numbers[6])
    return max(0, max(ends) - min(begins)) if ends else None


def _otio_seconds(path: str) -> float | None:
    """Return the length of the longest track, after the OpenTimelineIO file format specification."""
    longest: list[float] = []

    def note(value: dict[str, Any]) -> object:
        schema = str(value.get("OTIO_SCHEMA", "")).partition(".")[0]
        if schema == "RationalTime":
            rate = float(value.get("rate", 0))
            return float(value.get("value", 0)) / rate if rate > 0 else None
        if schema == "TimeRange":
            return value.get("duration")
        if schema in ("Clip", "Gap", "Stack", "Track"):
            length = value.get("source_range")
            if length is None and schema == "Clip":
                length = _available(value)
            children = [each for each in value.get("children") or () if isinstance(each, float)]
            if length is None and schema == "Track":
                length = sum(children)
            if length is None and schema == "Stack":
                length = max(children, default=0.0)
            if schema == "Track" and isinstance(length, int | float):
                longest.append(float(length))
            return float(length) if isinstance(length, int | float) else value
        return value

    json.loads(text_of(read_whole(path)), object_hook=note)
    return max(longest, default=None)


def _available(clip: dict[str, Any]) -> object:
    """Return how much of its medium there is for a clip that takes all of it."""
    references = clip.get("media_references")
    medium = (
        references.get(clip.get("active_media_reference_key", "")) if isinstance(references, dict) else
        clip.get("media_reference")
    )  # fmt: skip
    return medium.get("available_range") if isinstance(medium, dict) else None
