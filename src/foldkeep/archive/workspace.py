"""Where packages grow: a folder of ours beside the names that they will get, and what tells how far they are."""

import errno
import fcntl
import json
import os
import secrets
import time
from collections.abc import Iterator, Mapping, Sequence
from contextlib import contextmanager, suppress
from dataclasses import dataclass, field
from typing import Any

from foldkeep.formats import walked
from foldkeep.formats.packages import UNFINISHED, BadPackage, bagit, open_package
from foldkeep.model import PathBytes, Progress, UnusableInput, visible
from foldkeep.model.names import file_uri, names_to_try
from foldkeep.model.packages import FORMATS
from foldkeep.model.units import format_moment
from foldkeep.model.work import reason_of
from foldkeep.scan.packages import check_package
from foldkeep.storage.local.changes import flush, move_to_free, remove_folder, take_away, unlink
from foldkeep.storage.local.reading import open_path, open_top

from .packing import Packed, Packing, package_name

_JOURNAL = b"making.jsonl"
_PACKAGE = b"package"
_FOLDER = FORMATS[0]


Digests = dict[str, dict[str, str]]
"""Digests by algorithm, by where files lie in a package."""


@dataclass
class Part:
    """A package that is made: a project's only one, or one of several.

    Attributes
    ----------
    number
        From 1; 0 of the only one.
    packing
        What goes into it.
    name
        What it is to be called.
    key
        What tells it from every other package.
    done
        The digests of files that are in it already, by where they lie in it.
    is_made
        Whether all of it was written and read back by an earlier try.
    found
        Where it lies under its own name, if an earlier try came so far.
    """

    number: int
    packing: Packing
    name: bytes
    key: str
    done: Digests = field(default_factory=dict)
    is_made: bool = False
    found: PathBytes = b""


@dataclass
class Site:
    """Folder of ours in which the packages of a project grow, beside the names that they will get."""

    path: PathBytes
    target: PathBytes
    form: str
    parts: list[Part]
    journal: int

    def package(self, part: Part) -> PathBytes:
        """Return where a part grows."""
        return os.path.join(self.path, _inner(part))

    def note(self, part: Part, entry: Packed, digests: dict[str, str]) -> None:
        """Write down that a file is in a package, and what it was."""
        self._say({"part": part.number, "payload": entry.listed.payload, **_marks(entry), "digests": digests})

    def _say(self, line: Mapping[str, object]) -> None:
        os.write(self.journal, json.dumps(line).encode() + b"\n")

    def check(self, part: Part, progress: Progress) -> None:
        """Read a package back from the disk; what differs is taken away, so that another try writes it again."""
        checked = check_package(self.package(part), progress)
        if checked.is_whole:
            self._say({"made": part.number})
            return
        if self.form == _FOLDER:
            for problem in checked.problems:
                with suppress(OSError):
                    unlink(os.path.join(self.package(part), problem.path))
        first = checked.problems[0]
        raise OSError(errno.EIO, f"the package reads differently from what was written: {visible(first.path)} "
                      f"{first.reason}")  # fmt: skip

    def finish(self, part: Part) -> PathBytes:
        """Give a package its name, or a free one beside it; return where it lies."""
        target = open_top(self.target)
        site = open_top(self.path)
        try:
            flush(site)
            flush(self.journal)  # by which the package is known again if nothing else comes to be
            name = move_to_free(site, _inner(part), target, part.name)
            flush(target)
            return os.path.join(self.target, name)
        finally:
            os.close(site)
            os.close(target)

    def clear(self) -> None:
        """Take the rest away, when the packages have their names and are written down."""
        target = open_top(self.target)
        try:
            with suppress(OSError):
                unlink(os.path.join(self.path, _JOURNAL))
                remove_folder(os.path.basename(self.path), target)
                flush(target)
        finally:
            os.close(target)


def _inner(part: Part) -> bytes:
    return _PACKAGE + (b"-%d" % part.number if part.number else b"")


@contextmanager
def open_site(
    packings: Sequence[Packing],
    target: PathBytes,
    form: str,
    algorithms: Sequence[str],
    split: int | None,
    start_over: bool,
) -> Iterator[Site]:
    """Make a folder for packages to grow in, or take up the one that an interrupted try left."""
    project = packings[0].project
    head: dict[str, object] = {"project": file_uri(project), "form": form, "algorithms": list(algorithms)}
    if split:
        head["split"] = split
    name = os.fsencode(package_name(project))
    site_name = name if form == _FOLDER else name + b"." + form.encode()
    try:
        for free in names_to_try(site_name):
            path = os.path.join(target, free + UNFINISHED)
            with suppress(FileExistsError):
                os.mkdir(path, 0o755)
            # Somebody else's folder of that name must not get a file of ours.
            is_empty = not os.listdir(path)
            flags = os.O_RDWR | os.O_APPEND | os.O_CLOEXEC | os.O_NOFOLLOW | (os.O_CREAT if is_empty else 0)
            try:
                journal = open_path(os.path.join(path, _JOURNAL), flags, 0o644)
            except FileNotFoundError:
                continue
            try:
                if not _is_ours(journal, path, head):
                    continue
                site = Site(path, target, form, _parts(packings, name, form), journal)
                _take_up(site, head, start_over)
                yield site
                return
            finally:
                os.close(journal)
    except OSError as error:
        raise UnusableInput(
            f"cannot write into {visible(target)}: {reason_of(error)}", "name a folder that can be written"
        ) from error
    raise UnusableInput(f"no name is free in {visible(target)}", "name another folder")


def _parts(packings: Sequence[Packing], name: bytes, form: str) -> list[Part]:
    suffix = b"" if form == _FOLDER else b"." + form.encode()
    if len(packings) == 1:
        return [Part(0, packings[0], name + suffix, _key())]
    count = len(packings)
    return [
        Part(number, packing, name + b" part %d of %d" % (number, count) + suffix, _key())
        for number, packing in enumerate(packings, start=1)
    ]


def _key() -> str:
    return f"{format_moment(time.time_ns() // 1_000_000_000 * 1_000_000_000)}-{secrets.token_hex(8)}"


def _is_ours(journal: int, path: PathBytes, head: Mapping[str, object]) -> bool:
    """Tell whether a folder is new, or was begun for the same package and nobody works in it."""
    try:
        fcntl.flock(journal, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except OSError:
        return False
    if os.fstat(journal).st_size == 0:
        return os.listdir(path) == [_JOURNAL]
    with suppress(ValueError, AttributeError, RecursionError):
        said = json.loads(_lines(journal)[0])
        return all(said.get(key) == value for key, value in head.items()) and ("split" in said) == ("split" in head)
    return False


def _lines(journal: int) -> list[bytes]:
    with open(os.dup(journal), "rb") as file:
        file.seek(0)
        return file.read().split(b"\n")


def _take_up(site: Site, head: Mapping[str, object], start_over: bool) -> None:
    """Find out what an earlier try made; take away what another cannot go on with."""
    lines = _lines(site.journal)
    keys = _keys(lines[0])
    if not start_over and len(keys) == len(site.parts):
        for part, key in zip(site.parts, keys, strict=True):
            part.key = key
        if lines[-1]:
            os.write(site.journal, b"\n")  # a line that was cut off must not spoil the next
        notes = _Notes(lines[1:])
        if all(_go_on(site, part, notes) for part in site.parts):
            return
    _begin(site, head)


def _begin(site: Site, head: Mapping[str, object]) -> None:
    """Begin anew, with new keys: a package that was finished under an old one stays what it is."""
    for name in map(os.fsencode, os.listdir(site.path)):
        path = os.path.join(site.path, name)
        if name == _JOURNAL:
            continue
        if os.path.isdir(path) and not os.path.islink(path):
            take_away(path)
        else:
            unlink(path)
    for part in site.parts:
        part.key, part.done, part.is_made, part.found = _key(), {}, False, b""
    keys = [part.key for part in site.parts]
    os.ftruncate(site.journal, 0)
    os.write(site.journal, json.dumps({**head, "key": keys[0], "keys": keys}).encode() + b"\n")
    flush(site.journal)


def _keys(line: bytes) -> list[str]:
    with suppress(ValueError, KeyError, TypeError, AttributeError, OverflowError, RecursionError):
        said = json.loads(line)
        return [str(key) for key in said.get("keys", [said["key"]])]
    return []


class _Notes:
    """Notes in a journal: of each part the files that are in it, and whether all of it was made."""

    def __init__(self, lines: Sequence[bytes]) -> None:
        self.files: dict[int, dict[str, dict[str, Any]]] = {}
        self.made: set[int] = set()
        for line in lines:
            with suppress(ValueError, KeyError, TypeError, AttributeError, OverflowError, RecursionError):
                said = json.loads(line)
                if "made" in said:
                    self.made.add(int(said["made"]))
                else:
                    self.files.setdefault(int(said.pop("part", 0)), {})[said.pop("payload")] = said


def _go_on(site: Site, part: Part, notes: _Notes) -> bool:
    """Find out how far a part is; False if it is finished, but of a project that changed since."""
    said = notes.files.get(part.number, {})
    marks = {entry.listed.payload: _marks(entry) for entry in part.packing.files}
    digests = {payload: note.pop("digests", {}) for payload, note in said.items()}
    is_same = said == marks
    part.found = _renamed(site, part)
    package = site.package(part)
    if part.found:
        part.done = digests
        return is_same
    if is_same and part.number in notes.made and os.path.lexists(package):
        part.is_made, part.done = True, digests
        return True
    if site.form != _FOLDER:
        with suppress(FileNotFoundError):
            unlink(package)
        return True
    for payload, note in said.items():
        with suppress(OSError, KeyError):
            facts = os.lstat(os.path.join(package, os.fsencode(payload)))
            if marks.get(payload) == note and facts.st_size == note["size"]:
                part.done[payload] = digests[payload]
    _remove_strays(package, marks)
    return True


def _renamed(site: Site, part: Part) -> PathBytes:
    """Return where a part lies that got its name before an earlier try was killed; empty if it did not."""
    if os.path.lexists(site.package(part)):
        return b""
    for name in names_to_try(part.name):
        path = os.path.join(site.target, name)
        if not os.path.lexists(path):
            return b""
        if _key_of(path) == part.key:
            return path
    return b""


def _key_of(path: PathBytes) -> str:
    """Return the key of a package; empty if it is none."""
    with suppress(OSError, BadPackage), open_package(path) as package:
        return bagit.tags_of(package.tag(bagit.INFO), "utf-8", bagit.INFO).get(bagit.KEY_TAG, "")
    return ""


def _remove_strays(package: PathBytes, payloads: Mapping[str, object]) -> None:
    """Take away what an earlier try put into a package and the project has no more."""
    for folder, names in walked(os.path.join(package, bagit.PAYLOAD.encode())):
        for path in (os.path.join(folder, name) for name in names):
            if os.fsdecode(os.path.relpath(path, package)) not in payloads:
                unlink(path)


def _marks(entry: Packed) -> dict[str, int]:
    """Return what tells whether a file is still the one that was read, and its piece the same."""
    facts, listed = entry.facts, entry.listed
    piece = {"start": listed.start} if listed.start else {}
    return {
        "size": listed.size,
        "modified_ns": facts.st_mtime_ns,
        "inode": facts.st_ino,
        "changed_ns": facts.st_ctime_ns,
        **piece,
    }
