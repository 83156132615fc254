"""Making the package of a project: written beside its name, read back whole, and only then called by it."""

import errno
import os
import stat
import time
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field, replace

from foldkeep import __version__
from foldkeep.formats import Form, ListingHead, bagit, listing_text
from foldkeep.model import (
    Problem,
    Progress,
    Step,
    UnusableInput,
    file_uri,
    format_moment,
    format_size,
    no_progress,
    parse_digest,
    reason_of,
    visible,
)
from foldkeep.stock import Archived, ArchivedFile, Stock
from foldkeep.storage.local import NotSafe, clamped_ns

from .packing import Packing, payload_folders
from .site import Digests, Site, open_site
from .writers import BLAKE3, FORMATS, WRITERS, Writer

_ROOM_FOR_TEXTS = 1024 * 1024


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
        Bytes that can be made again and are not in it, by what they are.
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
    left_out: dict[str, int] = field(default_factory=dict)
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
    with open_site(packing, target, form, algorithms, start_over) as site:
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
        package, site.key, len(packing.files), packing.bytes, dict(packing.left_out_whats),
        len(packing.outside), made.went_on, packing.problems,
    )  # fmt: skip
    _write_down(stock, packing, report, digests)
    return report


def _failed(packing: Packing, site: Site, error: OSError) -> UnusableInput:
    advice = f"what was written so far waits in {visible(site.path)}; run it again to go on"
    if error.errno == errno.ENOSPC:
        advice = f"make room there, then run it again to go on; or remove {visible(site.path)}"
    return UnusableInput(f"cannot archive {visible(packing.project)}: {reason_of(error)}", advice)


def _check_room(packing: Packing, target: bytes, site: Site) -> None:
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
    left_out = sum(report.left_out.values())
    archived = Archived(
        0, report.package, report.package, packing.project, report.key, now_ns, report.bytes, left_out, now_ns
    )
    files = (
        ArchivedFile(
            entry.source, entry.listed.size, clamped_ns(entry.listed.modified_ns),
            bytes.fromhex(digests[entry.listed.payload][BLAKE3]),
        )
        for entry in packing.files
    )  # fmt: skip
    with stock.transaction():
        stock.archives.add(archived, files)


class _Making:
    """The writing of one package."""

    def __init__(self, site: Site, packing: Packing, algorithms: Sequence[str], progress: Progress) -> None:
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
