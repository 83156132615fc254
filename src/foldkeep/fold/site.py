"""Where a package grows: a folder of ours beside the name that it will get, and what tells how far it is."""

import errno
import fcntl
import json
import os
import secrets
import shutil
import time
from collections.abc import Container, Iterator, Mapping, Sequence
from contextlib import contextmanager, suppress
from dataclasses import dataclass, field

from foldkeep.formats import UNFINISHED, bagit
from foldkeep.model import Progress, UnusableInput, beside, file_uri, format_moment, reason_of, visible
from foldkeep.scan import check_package
from foldkeep.storage.local import move_to_free

from .packing import Packed, Packing, package_name
from .writers import FORMATS

_JOURNAL = b"making.jsonl"
_PACKAGE = b"package"
_MOST_NAMES = 10_000

Digests = dict[str, dict[str, str]]
"""Digests by algorithm, by where files lie in a package."""


@dataclass
class Site:
    """Where a package grows: a folder of ours beside the name that it will get.

    Attributes
    ----------
    done
        The digests of files that are in it already, by where they lie in the package.
    """

    path: bytes
    target: bytes
    name: bytes
    form: str
    key: str
    journal: int
    done: Digests = field(default_factory=dict)

    @property
    def package(self) -> bytes:
        return os.path.join(self.path, _PACKAGE)

    def note(self, entry: Packed, digests: dict[str, str]) -> None:
        """Write down that a file is in the package, and what it was."""
        line = {"payload": entry.listed.payload, **_marks(entry), "digests": digests}
        os.write(self.journal, json.dumps(line).encode() + b"\n")

    def check(self, progress: Progress) -> None:
        """Read the package back from the disk; what differs is taken away, so that another try writes it again."""
        checked = check_package(self.package, progress)
        if checked.is_whole:
            return
        if self.form == "folder":
            for problem in checked.problems:
                with suppress(OSError):
                    os.unlink(os.path.join(self.package, problem.path))
        first = checked.problems[0]
        raise OSError(errno.EIO, f"the package reads differently from what was written: {visible(first.path)} "
                      f"{first.reason}")  # fmt: skip

    def finish(self) -> bytes:
        """Give the package its name, or a free one beside it; take the rest away; return where it lies."""
        target = os.open(self.target, os.O_RDONLY | os.O_DIRECTORY | os.O_CLOEXEC)
        site = os.open(self.path, os.O_RDONLY | os.O_DIRECTORY | os.O_CLOEXEC)
        try:
            os.fsync(site)
            name = move_to_free(site, _PACKAGE, target, self.name)
            os.fsync(target)
            with suppress(OSError):
                os.unlink(_JOURNAL, dir_fd=site)
                os.rmdir(os.path.basename(self.path), dir_fd=target)
                os.fsync(target)
            return os.path.join(self.target, name)
        finally:
            os.close(site)
            os.close(target)


@contextmanager
def open_site(
    packing: Packing, target: bytes, form: str, algorithms: Sequence[str], start_over: bool
) -> Iterator[Site]:
    """Make a folder for a package to grow in, or take up the one that an interrupted try left."""
    top = os.fsencode(package_name(packing.project))
    name = top if form == FORMATS[0] else top + b"." + form.encode()
    head = {"project": file_uri(packing.project), "form": form, "algorithms": list(algorithms)}
    try:
        for number in range(1, _MOST_NAMES):
            path = os.path.join(target, beside(name, number) + UNFINISHED)
            with suppress(FileExistsError):
                os.mkdir(path, 0o755)
            # Somebody else's folder of that name must not get a file of ours.
            is_empty = not os.listdir(path)
            flags = os.O_RDWR | os.O_APPEND | os.O_CLOEXEC | os.O_NOFOLLOW | (os.O_CREAT if is_empty else 0)
            try:
                journal = os.open(os.path.join(path, _JOURNAL), flags, 0o644)
            except FileNotFoundError:
                continue
            try:
                if not _is_ours(journal, path, head):
                    continue
                site = Site(path, target, name, form, _key(), journal)
                _take_up(site, packing, head, start_over)
                yield site
                return
            finally:
                os.close(journal)
    except OSError as error:
        raise UnusableInput(
            f"cannot write into {visible(target)}: {reason_of(error)}", "name a folder that is there and can be written"
        ) from error
    raise UnusableInput(f"no name is free in {visible(target)}", "name another folder")


def _key() -> str:
    return f"{format_moment(time.time_ns() // 1_000_000_000 * 1_000_000_000)}-{secrets.token_hex(8)}"


def _is_ours(journal: int, path: bytes, head: Mapping[str, object]) -> bool:
    """Tell whether a folder is new, or was begun for the same package and nobody works in it."""
    try:
        fcntl.flock(journal, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except OSError:
        return False
    if os.fstat(journal).st_size == 0:
        return os.listdir(path) == [_JOURNAL]
    with suppress(ValueError, AttributeError):
        said = json.loads(_lines(journal)[0])
        return all(said.get(key) == value for key, value in head.items())
    return False


def _lines(journal: int) -> list[bytes]:
    with open(os.dup(journal), "rb") as file:
        file.seek(0)
        return file.read().split(b"\n")


def _take_up(site: Site, packing: Packing, head: Mapping[str, object], start_over: bool) -> None:
    """Find out what is in a package already; take away what another try cannot go on with."""
    lines = _lines(site.journal)
    if start_over or site.form != FORMATS[0] or not lines[0]:
        if os.path.isdir(site.package):
            shutil.rmtree(site.package)
        elif os.path.lexists(site.package):
            os.unlink(site.package)
        os.ftruncate(site.journal, 0)
        os.write(site.journal, json.dumps({**head, "key": site.key}).encode() + b"\n")
        os.fsync(site.journal)
        return
    with suppress(ValueError, KeyError, TypeError):
        site.key = str(json.loads(lines[0])["key"])
    if os.fstat(site.journal).st_size and lines[-1]:
        os.write(site.journal, b"\n")  # a line that was cut off must not spoil the next
    marks = {entry.listed.payload: _marks(entry) for entry in packing.files}
    for line in lines[1:]:
        with suppress(ValueError, KeyError, TypeError, OSError):
            said = json.loads(line)
            payload = said.pop("payload")
            digests = said.pop("digests")
            facts = os.lstat(os.path.join(site.package, os.fsencode(payload)))
            if marks.get(payload) == said and facts.st_size == said["size"]:
                site.done[payload] = digests
    _remove_strays(site, marks.keys())


def _remove_strays(site: Site, payloads: Container[str]) -> None:
    """Take away what an earlier try put into the package and the project has no more."""
    for folder, _, names in os.walk(os.path.join(site.package, bagit.PAYLOAD.encode())):
        for path in (os.path.join(folder, name) for name in names):
            if os.fsdecode(os.path.relpath(path, site.package)) not in payloads:
                os.unlink(path)


def _marks(entry: Packed) -> dict[str, int]:
    """Return what tells whether a file is still the one that was read."""
    facts = entry.facts
    return {
        "size": facts.st_size,
        "modified_ns": facts.st_mtime_ns,
        "inode": facts.st_ino,
        "changed_ns": facts.st_ctime_ns,
    }
