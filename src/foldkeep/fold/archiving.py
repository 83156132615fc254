"""Making the package of a project: written beside its name, read back whole, and only then called by it."""

import errno
import fcntl
import json
import os
import secrets
import shutil
import stat
import time
from collections.abc import Container, Iterator, Mapping, Sequence
from contextlib import contextmanager, suppress
from dataclasses import dataclass, field, replace

from foldkeep import __version__
from foldkeep.formats import UNFINISHED, Form, ListingHead, bagit, listing_text
from foldkeep.model import (
    Problem,
    Progress,
    Step,
    UnusableInput,
    beside,
    file_uri,
    format_moment,
    format_size,
    no_progress,
    parse_digest,
    reason_of,
    visible,
)
from foldkeep.scan import check_package
from foldkeep.stock import Archived, ArchivedFile, Stock

from .identity import NotSafe
from .moving import move
from .packing import Packed, Packing, payload_folders
from .writers import BLAKE3, FORMATS, WRITERS, Writer

_JOURNAL = b"making.jsonl"
_PACKAGE = b"package"
_ROOM_FOR_TEXTS = 1024 * 1024
_MOST_NAMES = 10_000
Digests = dict[str, dict[str, str]]


@dataclass
class ArchiveReport:
    """What archiving a project came to.

    Attributes
    ----------
    package
        Where the package lies.
    files, bytes
        Of the payload.
    left_out
        Bytes that can be made again and are not in it.
    outside
        How many files came from outside the project.
    went_on
        How many files were there already, from a try that was interrupted.
    problems
        What is not in it, and why.
    """

    package: bytes
    key: str
    files: int = 0
    bytes: int = 0
    left_out: int = 0
    outside: int = 0
    went_on: int = 0
    problems: list[Problem] = field(default_factory=list)


def archive(
    stock: Stock,
    packing: Packing,
    target: bytes,
    form: str = "folder",
    *,
    sha256: bool = False,
    start_over: bool = False,
    progress: Progress = no_progress,
) -> ArchiveReport:
    """Make a package of a project in a folder, and write down in the stock what is in it.

    It grows in a folder called ``NAME.unfinished``, is flushed, read back from the disk and compared with its
    manifests, and only then gets its name, which nobody else can have. Where a try was interrupted, a package that
    is a folder goes on with the files that are there; any other begins again.

    Parameters
    ----------
    stock
        A stock that is held.
    form
        One of `FORMATS`.
    sha256
        Write a manifest of SHA-256 beside that of SHA-512.
    start_over
        Take away what an earlier try left.

    Raises
    ------
    UnusableInput
        If there is no room, the target cannot be written, or a file changed meanwhile. The project is as it was.
    """
    algorithms = ("sha512", *(["sha256"] if sha256 else []), BLAKE3)
    with _site(packing, target, form, algorithms, start_over) as site:
        _check_room(packing, target, site)
        try:
            made = _Making(site, packing, algorithms, progress)
            digests = made.write()
            site.check(progress)
            package = site.finish()
        except NotSafe as error:
            raise UnusableInput(f"cannot archive {visible(packing.project)}: {error}", "run it again") from error
        except OSError as error:
            raise _failed(packing, site, error) from error
    report = ArchiveReport(
        package, site.key, len(packing.files), packing.bytes, sum(packing.left_out.values()),
        len(packing.outside), made.went_on, packing.problems,
    )  # fmt: skip
    _write_down(stock, packing, report, digests)
    return report


def _failed(packing: Packing, site: "_Site", error: OSError) -> UnusableInput:
    advice = f"what was written so far waits in {visible(site.path)}; run it again to go on"
    if error.errno == errno.ENOSPC:
        advice = f"make room there, then run it again to go on; or remove {visible(site.path)}"
    return UnusableInput(f"cannot archive {visible(packing.project)}: {reason_of(error)}", advice)


def _check_room(packing: Packing, target: bytes, site: "_Site") -> None:
    room = os.statvfs(target)
    free = room.f_bavail * room.f_frsize
    there = sum(entry.listed.size for entry in packing.files if entry.listed.payload in site.done)
    sparse = sum(
        max(0, entry.listed.size - entry.facts.st_blocks * 512) for entry in packing.files if entry.listed.is_sparse
    )
    least = packing.bytes - there - (sparse if site.form == "folder" else 0)
    needed = least + _ROOM_FOR_TEXTS + 4096 * len(packing.files)
    if site.form == "tar.zst":
        needed = min(needed, packing.bytes // 10)  # how far it can be squeezed is seen when it is done
    if needed > free:
        raise UnusableInput(
            f"there is no room for {visible(packing.project)} in {visible(target)}: it takes {format_size(needed)}, "
            f"{format_size(free)} are free",
            "make room, or name another folder",
        )


def _write_down(stock: Stock, packing: Packing, report: ArchiveReport, digests: Digests) -> None:
    now_ns = time.time_ns()
    archived = Archived(0, report.package, packing.project, report.key, now_ns, report.bytes, report.left_out, now_ns)
    files = (
        ArchivedFile(
            entry.source, entry.listed.size, entry.listed.modified_ns,
            bytes.fromhex(digests[entry.listed.payload][BLAKE3]),
        )
        for entry in packing.files
    )  # fmt: skip
    with stock.transaction():
        stock.archives.add(archived, files)


@dataclass
class _Site:
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
            name = self.name
            for number in range(1, _MOST_NAMES):
                name = beside(self.name, number)
                with suppress(FileExistsError):
                    move(site, _PACKAGE, target, name)
                    break
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
def _site(packing: Packing, target: bytes, form: str, algorithms: Sequence[str], start_over: bool) -> Iterator[_Site]:
    """Make a folder for a package to grow in, or take up the one that an interrupted try left."""
    top = os.fsencode(bagit.plain_name(os.path.basename(packing.project) or b"project"))
    name = top if form == FORMATS[0] else top + b"." + form.encode()
    head = {"project": file_uri(packing.project), "form": form, "algorithms": list(algorithms)}
    try:
        for number in range(1, _MOST_NAMES):
            path = os.path.join(target, beside(name, number) + UNFINISHED)
            with suppress(FileExistsError):
                os.mkdir(path, 0o755)
            journal = os.open(os.path.join(path, _JOURNAL), os.O_RDWR | os.O_CREAT | os.O_APPEND | os.O_CLOEXEC, 0o644)
            try:
                if not _is_ours(journal, path, head):
                    continue
                site = _Site(path, target, name, form, _key(), journal)
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


def _take_up(site: _Site, packing: Packing, head: Mapping[str, object], start_over: bool) -> None:
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


def _remove_strays(site: _Site, payloads: Container[str]) -> None:
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


class _Making:
    """The writing of one package."""

    def __init__(self, site: _Site, packing: Packing, algorithms: Sequence[str], progress: Progress) -> None:
        self._site = site
        self._packing = packing
        self._algorithms = algorithms
        self._progress = progress
        self._read = 0
        self.went_on = 0

    def write(self) -> Digests:
        """Write all of it and flush it; return the digests of its payload."""
        top = os.fsdecode(self._site.name)
        if self._site.form != FORMATS[0]:
            top = top.removesuffix(f".{self._site.form}")
        writer = WRITERS[self._site.form](self._site.package, top, self._algorithms, self._told)
        try:
            return self._written(writer)
        finally:
            writer.stop()

    def _told(self, size: int) -> None:
        self._read += size
        self._progress(Step("Archiving", self._read, self._packing.bytes, "bytes"))

    def _written(self, writer: Writer) -> Digests:
        packing, site = self._packing, self._site
        texts = _Texts(writer, self._algorithms)
        # What the package is and holds comes first, where whoever reads it from its beginning needs it.
        texts.put(bagit.INFO, bagit.tags_text(self._tags()))
        writer.folder(bagit.PAYLOAD)
        for name in payload_folders(packing):
            if name != bagit.PAYLOAD:
                writer.folder(name)
        digests: Digests = {}
        for entry in packing.files:
            payload = entry.listed.payload
            if payload in site.done:
                digests[payload] = site.done[payload]
                self.went_on += 1
                self._told(entry.listed.size)
                continue
            try:
                digests[payload] = writer.file(entry)
            except NotSafe as error:
                raise NotSafe(f"{visible(entry.source)} {error}") from error
            site.note(entry, digests[payload])
        for algorithm in self._algorithms:
            if algorithm != BLAKE3:
                lines = (bagit.manifest_line(found[algorithm], payload) for payload, found in digests.items())
                texts.put(f"manifest-{algorithm}.txt", "".join(lines))
        texts.put(bagit.LISTING, "".join(self._listing(digests)))
        declaration = f"BagIt-Version: {bagit.VERSION}\nTag-File-Character-Encoding: UTF-8\n"
        texts.put(bagit.DECLARATION, declaration)
        texts.finish()
        writer.close()
        return digests

    def _listing(self, digests: Digests) -> Iterator[str]:
        packing, facts = self._packing, self._packing.facts
        left_out = sum(packing.left_out.values())
        mode = stat.S_IMODE(facts.st_mode)
        head = ListingHead(self._site.key, packing.project, time.time_ns(), left_out, mode, facts.st_mtime_ns)
        return listing_text(
            head,
            (
                replace(entry.listed, digest=parse_digest(f"blake3:{digests[entry.listed.payload][BLAKE3]}"))
                if entry.listed.form is Form.FILE
                else entry.listed
                for entry in packing.entries
            ),
        )

    def _tags(self) -> list[tuple[str, str]]:
        packing = self._packing
        left_out = sum(packing.left_out.values())
        return [
            ("Bagging-Date", format_moment(time.time_ns())[:10]),
            ("Bag-Size", format_size(packing.bytes)),
            ("Payload-Oxum", f"{packing.bytes}.{len(packing.files)}"),
            (bagit.KEY_TAG, self._site.key),
            ("Bag-Software-Agent", f"Fold Keep {__version__}"),
            ("Fold-Keep-Project", file_uri(packing.project)),
            ("Fold-Keep-Outside-Media", str(len(packing.outside))),
            ("Fold-Keep-Left-Out", f"{left_out} bytes in {len(packing.left_out)} files that can be made again"),
        ]


class _Texts:
    """Writes the tag files of a package, and their own manifests at the end."""

    def __init__(self, writer: Writer, algorithms: Sequence[str]) -> None:
        self._writer = writer
        self._algorithms = [algorithm for algorithm in algorithms if algorithm != BLAKE3]
        self._lines: dict[str, list[str]] = {algorithm: [] for algorithm in self._algorithms}

    def put(self, name: str, text: str) -> None:
        content = text.encode("utf-8")
        self._writer.text(name, content)
        for algorithm, lines in self._lines.items():
            lines.append(bagit.manifest_line(bagit.digest_of(algorithm, content), name))

    def finish(self) -> None:
        for algorithm, lines in self._lines.items():
            self._writer.text(f"tagmanifest-{algorithm}.txt", "".join(lines).encode())
