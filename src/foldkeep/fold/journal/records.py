"""What a journal tells, one record a step: what is about to be done to a file or folder, and what was done.

Each record is one JSON object on a line. Paths below the place are written relative to it, so that a drive may be
mounted elsewhere; others are `file:` URIs. Both are percent-encoded.
"""

import os
from collections.abc import Callable
from dataclasses import dataclass, field, replace
from typing import Any

from foldkeep.model import Method, PathBytes, RunFile, RunFileState
from foldkeep.model.files import format_digest, parse_digest
from foldkeep.model.grades import Grade
from foldkeep.model.names import file_uri, lies_below, path_from_uri
from foldkeep.model.runs import SourceFacts
from foldkeep.storage.local.changes import FolderTimes

VERSION = 2

Json = dict[str, Any]

_GOING_WORDS = {Method.MOVE: "move", Method.BIN: "bin", Method.WRITE: "write", Method.COPY: "copy"}
_ANY_GOING = ("fold", "move", "bin", "write", "copy")


class UnknownStep(ValueError):
    """A whole record that this version does not know: a newer one wrote it."""


@dataclass(frozen=True, slots=True)
class Begun:
    """The run itself, the first record of a journal."""

    run: str
    method: Method
    version: int = VERSION


@dataclass(frozen=True, slots=True)
class Going:
    """A file is about to go from where it is, as `file` tells; or, where `is_copied`, to be copied first."""

    file: RunFile
    across: bool = False
    is_copied: bool = False

    def applied_to(self, file: RunFile) -> RunFile:
        """Return a file of the ledger with what was written down before it was touched."""
        told = self.file
        return file._replace(keeper=told.keeper, digest=told.digest, method=told.method, words=told.words,
            target=told.target if file.state is not RunFileState.LOST or not file.target else file.target,
            source=told.source or file.source, link=told.link,
            target_volume=told.target_volume or file.target_volume,
            target_modified_ns=told.target_modified_ns or file.target_modified_ns, mode=told.mode or file.mode,
        )  # fmt: skip


@dataclass(frozen=True, slots=True)
class Went:
    """Record that a step on a file ended: its state then."""

    number: int
    state: str


@dataclass(frozen=True, slots=True)
class Returning:
    """A file is about to be brought back to a path."""

    number: int
    path: PathBytes


@dataclass(frozen=True, slots=True)
class Returned:
    """A file was brought back."""

    number: int


@dataclass(frozen=True, slots=True)
class Releasing:
    """A file is about to be deleted for good."""

    number: int


@dataclass(frozen=True, slots=True)
class Released:
    """A file was deleted for good."""

    number: int


@dataclass(frozen=True, slots=True)
class FolderMade:
    """A folder is about to be made for files to be moved into."""

    path: PathBytes


@dataclass(frozen=True, slots=True)
class FolderEmptied:
    """A folder that a run emptied is about to be put away; `times` are those that it had before the run."""

    slot: str
    path: PathBytes
    times: FolderTimes


@dataclass(frozen=True, slots=True)
class FolderReturning:
    """A folder that was put away is about to come back."""

    slot: str


@dataclass(frozen=True, slots=True)
class FolderReturned:
    """A folder that came back has its times again."""

    slot: str


@dataclass(frozen=True, slots=True)
class FolderTouched:
    """Names in a folder are about to be changed; `times` are those that it has before."""

    path: PathBytes
    times: FolderTimes


@dataclass(frozen=True, slots=True)
class FolderLeft:
    """Names in a folder were changed; `modified_ns` is its time after that, by which others' changes are told."""

    path: PathBytes
    modified_ns: int


Record = (
    Begun | Going | Went | Returning | Returned | Releasing | Released | FolderMade | FolderEmptied | FolderReturning
    | FolderReturned | FolderTouched | FolderLeft
)  # fmt: skip


def relative_name(place: PathBytes, path: PathBytes) -> str:
    """Return a path below a place as it is written in a journal: percent-encoded, relative to the place."""
    return file_uri(path[len(place.rstrip(b"/")) :]).removeprefix("file:///")


def absolute_path(place: PathBytes, name: str) -> PathBytes:
    """Return the path that `relative_name` wrote; ValueError if it is not one below the place."""
    path = path_from_uri("file:///" + name)
    if not {b"..", b".", b""}.isdisjoint(path.split(b"/")[1:]):
        raise ValueError(f"leads out of its place: {name!r}")
    return place.rstrip(b"/") + path


def encoded(record: Record, place: PathBytes, version: int = VERSION) -> Json | None:
    """Return a record as the JSON object of a line; None if a journal of that version has none like it."""
    match record:
        case Begun():
            return {"journal": record.version, "run": record.run, "method": str(record.method)}
        case Going():
            return _encoded_going(record, place)
        case Went():
            return {"done": record.state, "n": record.number}
        case Returning():
            return {"do": "unfold", "n": record.number, "to": relative_name(place, record.path)}
        case Returned():
            return {"done": "unfold", "n": record.number}
        case Releasing():
            return {"do": "release", "n": record.number}
        case Released():
            return {"done": "release", "n": record.number}
        case FolderMade():
            return {"do": "make", "to": file_uri(record.path) if version == 1 else _where(place, record.path)}
        case FolderEmptied():
            return {"do": "empty", "f": record.slot, "from": relative_name(place, record.path), "times": record.times}
        case FolderReturning():
            return {"do": "refill", "f": record.slot}
        case FolderReturned():
            return {"done": "refill", "f": record.slot}
        case FolderTouched():
            return None if version == 1 else {"do": "touch", "at": _where(place, record.path), "times": record.times}
        case FolderLeft():
            told = {"done": "touch", "at": _where(place, record.path), "modified_ns": record.modified_ns}
            return None if version == 1 else told


def _encoded_going(record: Going, place: PathBytes) -> Json:
    file = record.file
    line: Json = {
        "do": "copy" if record.is_copied else _GOING_WORDS.get(file.method, "fold"),
        "n": file.number,
        "slot": file.slot,
        "from": relative_name(place, file.path),
        "size": file.size,
        "modified_ns": file.modified_ns,
        "digest": format_digest(file.digest) if file.digest else "",
        "keeper": _where(place, file.keeper) if file.keeper else "",
        "method": str(file.method),
    }
    if file.words:
        line["words"] = format_digest(file.words)
    if file.link:
        line["link"] = file_uri(b"/" + file.link)
    if file.source:
        source = file.source
        line["source"] = [source.size, source.modified_ns, format_digest(source.digest) if source.digest else ""]
        if source.grade:
            line |= {"grade": str(source.grade), "recipe": source.recipe}
        if source.made:
            line["made"] = format_digest(source.made)
    if file.target:
        line |= {"to": _where(place, file.target), "across": record.across}
    if file.target_volume:
        line["volume"] = file.target_volume
    if file.target_modified_ns:
        line["to_modified_ns"] = file.target_modified_ns
    if file.mode:
        line["mode"] = f"{file.mode:o}"
    return line


def _where(place: PathBytes, path: PathBytes) -> str:
    """Return a path below the place relative to it, any other as a URI; a colon tells them apart."""
    return relative_name(place, path) if lies_below(path, place) else file_uri(path)


def _path(place: PathBytes, where: str) -> PathBytes:
    return path_from_uri(where, elsewhere=True) if ":" in where else absolute_path(place, where)


def decoded(line: Json, place: PathBytes) -> Record:
    """Return the record that a line of a journal is.

    Raises
    ------
    UnknownStep
        If it is a step that this version does not know.
    ValueError, KeyError, TypeError, OverflowError
        If it is not a line that Fold Keep wrote.
    """
    if "journal" in line:
        return Begun(str(line["run"]), Method(line["method"]), int(line["journal"]))
    do, done = line.get("do"), line.get("done")
    if do in _ANY_GOING:
        return _decoded_going(line, place)
    reader = _READERS.get((do, None) if do is not None else (None, done))
    if reader is not None:
        return reader(line, place)
    if done in tuple(RunFileState):
        return Went(int(line["n"]), str(done))
    raise UnknownStep(f"a step that is not known here: {do or done}")


def _decoded_going(line: Json, place: PathBytes) -> Going:
    slot = str(line["slot"])
    if os.path.basename(slot) != slot or slot in ("", ".", ".."):
        raise ValueError(f"no name of a file in the fold: {slot!r}")
    source = None
    if line.get("source"):
        size, modified, digest = line["source"]
        source = SourceFacts(
            int(size), int(modified), parse_digest(digest) if digest else b"",
            Grade(line["grade"]) if "grade" in line else None, str(line.get("recipe", "")),
            parse_digest(line["made"]) if "made" in line else b"",
        )  # fmt: skip
    file = RunFile(
        0,
        int(line["n"]),
        place,
        absolute_path(place, line["from"]),
        slot,
        int(line["size"]),
        int(line["modified_ns"]),
        parse_digest(str(line["digest"])) if line["digest"] else b"",
        _path(place, str(line["keeper"])) if line["keeper"] else b"",
        RunFileState.LOST,
        method=Method(line.get("method", "fold")),
        target=_path(place, str(line["to"])) if "to" in line else b"",
        words=parse_digest(str(line["words"])) if "words" in line else b"",
        link=path_from_uri(line["link"])[1:] if "link" in line else b"",
        source=source,
        target_volume=str(line.get("volume", "")),
        target_modified_ns=int(line.get("to_modified_ns", 0)),
        mode=int(str(line.get("mode", "0")), 8),
    )
    return Going(file, bool(line.get("across")), line["do"] == "copy")


def _times(line: Json) -> FolderTimes:
    accessed, modified = line["times"]
    return FolderTimes(int(accessed), int(modified))


_READERS: dict[tuple[str | None, str | None], Callable[[Json, PathBytes], Record]] = {
    ("unfold", None): lambda line, place: Returning(int(line["n"]), absolute_path(place, line["to"])),
    (None, "unfold"): lambda line, _: Returned(int(line["n"])),
    ("release", None): lambda line, _: Releasing(int(line["n"])),
    (None, "release"): lambda line, _: Released(int(line["n"])),
    ("make", None): lambda line, place: FolderMade(_path(place, line["to"])),
    ("empty", None): lambda line, place: FolderEmptied(
        _slot_of(line), absolute_path(place, line["from"]), _times(line)
    ),
    ("refill", None): lambda line, _: FolderReturning(_slot_of(line)),
    (None, "refill"): lambda line, _: FolderReturned(_slot_of(line)),
    ("touch", None): lambda line, place: FolderTouched(_path(place, line["at"]), _times(line)),
    (None, "touch"): lambda line, place: FolderLeft(_path(place, line["at"]), int(line["modified_ns"])),
}


KNOWN_STEPS = frozenset(
    (*_ANY_GOING, *(word for step in _READERS for word in step if word), *(str(state) for state in RunFileState))
)
"""Words of all steps, as they stand in journals."""


def _slot_of(line: Json) -> str:
    slot = str(line["f"])
    if not slot.isdecimal():
        raise ValueError(f"no name of a folder in the fold: {slot!r}")
    return slot


@dataclass(frozen=True, slots=True)
class History:
    """History of one file in a journal.

    Attributes
    ----------
    first
        What was to be done with it when it was folded; of several tries the last one.
    last
        What was last about to be done to it; both are None if nothing was.
    pending
        Whether that was not marked as done.
    """

    first: Going | None = None
    last: Going | Returning | Releasing | None = None
    pending: bool = False


def histories(records: list[Record]) -> dict[int, History]:
    """Return the history of each file of a journal by its number."""
    found: dict[int, History] = {}
    for record in records:
        match record:
            case Going():
                found[record.file.number] = History(record, record, pending=True)
            case Returning() | Releasing():
                before = found.get(record.number, History())
                found[record.number] = History(before.first, record, pending=True)
            case Went() | Returned() | Released():
                before = found.get(record.number, History())
                found[record.number] = replace(before, pending=False)
            case _:
                pass
    return found


@dataclass
class FolderTale:
    """Times of a folder in which names were changed: before, and of the change after."""

    times: FolderTimes
    left_ns: list[int] = field(default_factory=list)


def folder_tales(records: list[Record]) -> dict[PathBytes, FolderTale]:
    """Return what a journal tells of each folder, by path; the first times are those before the run."""
    found: dict[PathBytes, FolderTale] = {}
    for record in records:
        if isinstance(record, FolderTouched):
            found.setdefault(record.path, FolderTale(record.times))
        elif isinstance(record, FolderLeft) and record.path in found:
            found[record.path].left_ns = [record.modified_ns]
    return found
