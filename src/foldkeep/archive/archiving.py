"""Making the package of a project: written beside its name, read back whole, and only then called by it."""

import errno
import os
import stat
import time
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, field

from foldkeep import __version__
from foldkeep.formats.packages import Listed, ListingHead, bagit, listing_text
from foldkeep.model import PathBytes, Problem, Progress, Step, UnusableInput, no_progress, visible
from foldkeep.model.extras import need
from foldkeep.model.names import file_uri
from foldkeep.model.packages import FORMATS
from foldkeep.model.units import format_moment, format_size
from foldkeep.model.work import reason_of
from foldkeep.scan.packages import archived_file, check_package
from foldkeep.stock import Archived, Stock
from foldkeep.storage import storage_at
from foldkeep.storage.local.changes import take_away, unlink
from foldkeep.storage.local.reading import NotSafe

from .packing import Packed, Packing, owner_of, payload_folders
from .splitting import split_packing
from .workspace import Digests, Part, Site, open_site
from .writers import BLAKE3, WRITERS, Writer

Ship = Callable[["MadePackage"], "MadePackage"]
"""Brings a package somewhere, and returns it with the path that it has then."""

_ROOM_FOR_TEXTS = 1024 * 1024


@dataclass(frozen=True)
class MadePackage:
    """A package that was made: where it lies, its key, what went into it, and how many files and bytes that were."""

    path: PathBytes
    key: str
    packing: Packing
    files: int
    bytes: int


@dataclass
class ArchiveReport:
    """Report of archiving a project.

    Attributes
    ----------
    packages
        The package, or the parts in which it is.
    files, bytes
        Of all of it; a file in pieces counts once.
    left_out
        Bytes that can be made again and are not in it, by what they are.
    outside
        How many files came from outside the project.
    went_on
        How many files were there already, from a try that was interrupted.
    problems
        What is not in it, and why.
    """

    packages: list[MadePackage]
    files: int = 0
    bytes: int = 0
    left_out: dict[str, int] = field(default_factory=dict)
    outside: int = 0
    went_on: int = 0
    problems: list[Problem] = field(default_factory=list)


def archive(
    stock: Stock,
    packing: Packing,
    target: PathBytes,
    form: str = "folder",
    *,
    split: int | None = None,
    sha256: bool = False,
    start_over: bool = False,
    ship: Ship | None = None,
    progress: Progress = no_progress,
) -> ArchiveReport:
    """Make a package of a project in a folder, and write down in the stock what is in it.

    It grows in a folder called ``NAME.unfinished``, is flushed, read back from the disk and compared with its
    manifests, and only then gets its name, which nobody else can have. Where a try was interrupted, a package that
    is a folder goes on with the files that are there, and parts that were finished stay; any other begins again. One
    that got its name before the stock knew of it is found, and not made a second time.

    Parameters
    ----------
    stock
        A stock that is held.
    form
        One of `FORMATS`.
    split
        How many bytes a package may take at most, all that is around the files included; None for one package.
    sha256
        Write a manifest of SHA-256 beside that of SHA-512.
    start_over
        Take away what an earlier try left.
    ship
        Brings a package that is whole to where it is to lie, before the stock is told of it; None if it stays.

    Raises
    ------
    UnusableInput
        If there is no room, the target cannot be written, or a file changed meanwhile. The project is as it was.
    """
    if form == "iso":
        need("discs")
    algorithms = ("sha512", *(["sha256"] if sha256 else []), BLAKE3)
    telling = _Telling(progress, packing.bytes)
    packings, largest = [packing], storage_at(target).limits_of(target).largest
    if split is not None or form == "iso" or largest:
        packings = split_packing(packing, split, form, telling.more, largest)
    with open_site(packings, target, form, algorithms, split, start_over) as site:
        _check_room(packing, target, site)
        try:
            digests, went_on = {}, 0
            for part in site.parts:
                making = _Making(site, part, algorithms, telling)
                digests[part.key] = making.write()
                went_on += making.went_on
                _look_again(site, part, progress)
            made = [_finished(site, part) for part in site.parts]
        except NotSafe as error:
            raise UnusableInput(f"cannot archive {visible(packing.project)}: {error}", "run it again") from error
        except OSError as error:
            raise _failed(packing, site, error) from error
        except KeyboardInterrupt as error:
            raise KeyboardInterrupt(_so_far(packing, site, telling)) from error
        report = ArchiveReport(
            made, len(packing.files), packing.bytes, dict(packing.left_out_whats), len(packing.outside), went_on,
            packing.problems,
        )  # fmt: skip
        here = made
        if ship is not None:
            report.packages = made = [ship(each) for each in made]
        _write_down(stock, packing, made, digests)
        site.clear()
        for each in here if ship is not None else ():
            _take_away(each.path)
    return report


def _take_away(package: PathBytes) -> None:
    """Remove a package of our own that was read back where it was brought to."""
    if os.path.isdir(package):
        take_away(package)
    else:
        unlink(package)


def _look_again(site: Site, part: Part, progress: Progress) -> None:
    """Read a package back; one of an earlier try that has its name already is read where that is."""
    if part.found:
        if not check_package(part.found, progress).is_whole:
            raise OSError(errno.EIO, f"{visible(part.found)} is damaged; --start-over makes it anew")
    elif not part.is_made:
        site.check(part, progress)


def _finished(site: Site, part: Part) -> MadePackage:
    path = part.found or site.finish(part)
    return MadePackage(path, part.key, part.packing, len(part.packing.files), part.packing.bytes)


class _Telling:
    """Tells how much was read so far."""

    def __init__(self, progress: Progress, total: int) -> None:
        self._progress = progress
        self._total = total
        self._read = 0

    def read(self, size: int) -> None:
        """Tell of bytes that went into a package."""
        self._read += size
        self._progress(Step("Archiving", self._read, self._total, "bytes"))

    @property
    def so_far(self) -> str:
        """How much was read, of how much."""
        return f"{format_size(self._read)} of {format_size(self._total)}"

    def more(self, size: int) -> None:
        """Tell of bytes that were read besides."""
        self._total += size
        self.read(size)


def _so_far(packing: Packing, site: Site, telling: _Telling) -> str:
    """Return how far a package came that somebody interrupted, and how to go on."""
    return (
        f"{visible(packing.project)} is as it was; {telling.so_far} are written in {visible(site.path)}, which is no "
        "package yet; the same command finishes it, or remove that folder"
    )


def _failed(packing: Packing, site: Site, error: OSError) -> UnusableInput:
    advice = f"what was written so far waits in {visible(site.path)}; run it again to go on"
    if error.errno == errno.ENOSPC:
        advice = f"make room there, then run it again to go on; or remove {visible(site.path)}"
    return UnusableInput(f"cannot archive {visible(packing.project)}: {reason_of(error)}", advice)


def _check_room(packing: Packing, target: PathBytes, site: Site) -> None:
    room = os.statvfs(target)
    free = room.f_bavail * room.f_frsize
    needed = whole = 0
    for part in site.parts:
        if part.found or part.is_made:
            continue
        listed = [entry.listed for entry in part.packing.files if entry.listed.payload not in part.done]
        whole += sum(each.size for each in listed)
        needed += sum(each.room if site.form == "folder" else each.size for each in listed)
        needed += _ROOM_FOR_TEXTS + 4096 * len(listed)
    if site.form == "tar.zst":
        needed = min(needed, whole // 10)  # how far it can be squeezed is seen when it is done
    if needed > free:
        raise UnusableInput(
            f"there is no room for {visible(packing.project)} in {visible(target)}: it takes {format_size(needed)}, "
            f"{format_size(free)} are free",
            "make room, or name another folder",
        )


def _write_down(stock: Stock, packing: Packing, made: Sequence[MadePackage], digests: dict[str, Digests]) -> None:
    now_ns = time.time_ns()
    left_out = sum(packing.left_out.values())
    with stock.transaction():
        for each in made:
            archived = Archived(
                0, each.path, each.path, packing.project, each.key, now_ns, each.bytes, left_out, now_ns,
                len(made), made[0].key if len(made) > 1 else "",
            )  # fmt: skip
            entries = [_with_digest(entry, digests[each.key]) for entry in each.packing.files]
            stock.archives.add(archived, (archived_file(packing.project, entry) for entry in entries))


def _with_digest(entry: Packed, digests: Digests) -> Listed:
    """Return an entry with the digest of its content; of a name that has none as it is."""
    if not entry.listed.is_content:
        return entry.listed
    return entry.listed._replace(digest=bytes.fromhex(digests[entry.listed.payload][BLAKE3]))


class _Making:
    """The writing of one package."""

    def __init__(self, site: Site, part: Part, algorithms: Sequence[str], telling: _Telling) -> None:
        self._site = site
        self._part = part
        self._packing = part.packing
        self._algorithms = algorithms
        self._telling = telling
        self.went_on = 0

    def write(self) -> Digests:
        """Write all of it that is not there already and flush it; return the digests of its payload."""
        if self._part.found or self._part.is_made:
            self.went_on = len(self._packing.files)
            self._telling.read(self._packing.bytes)
            return self._part.done
        site = self._site
        top = os.fsdecode(self._part.name)
        if site.form != FORMATS[0]:
            top = top.removesuffix(f".{site.form}")
        writer = WRITERS[site.form](site.package(self._part), top, self._algorithms, self._telling.read)
        try:
            return self._written(writer)
        finally:
            writer.stop()

    def _written(self, writer: Writer) -> Digests:
        packing, part = self._packing, self._part
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
            if payload in part.done:
                digests[payload] = part.done[payload]
                self.went_on += 1
                self._telling.read(entry.listed.size)
                continue
            try:
                digests[payload] = writer.file(entry)
            except NotSafe as error:
                raise NotSafe(f"{visible(entry.source)} {error}") from error
            self._site.note(part, entry, digests[payload])
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
        head = ListingHead(
            self._part.key, packing.project, time.time_ns(), left_out, mode, facts.st_mtime_ns, owner_of(facts),
            packing.attributes, self._part.number, self._keys(),
        )  # fmt: skip
        return listing_text(head, (_with_digest(entry, digests) for entry in packing.entries))

    def _keys(self) -> tuple[str, ...]:
        """Return the keys of all parts; none of a package that is whole in itself."""
        return tuple(part.key for part in self._site.parts if part.number)

    def _tags(self) -> list[tuple[str, str]]:
        packing = self._packing
        left_out = sum(packing.left_out.values())
        return [
            ("Bagging-Date", format_moment(time.time_ns())[:10]),
            ("Bag-Size", format_size(packing.bytes)),
            ("Payload-Oxum", f"{packing.bytes}.{len(packing.files)}"),
            (bagit.KEY_TAG, self._part.key),
            *self._group(),
            ("Bag-Software-Agent", f"Fold Keep {__version__}"),
            ("Fold-Keep-Project", file_uri(packing.project)),
            ("Fold-Keep-Outside-Media", str(len(packing.outside))),
            ("Fold-Keep-Left-Out", f"{left_out} bytes in {len(packing.left_out)} files that can be made again"),
        ]

    def _group(self) -> list[tuple[str, str]]:
        """Return what tells of the other parts (RFC 8493, 2.2.2)."""
        if not self._part.number:
            return []
        parts = self._site.parts
        return [
            ("Bag-Group-Identifier", parts[0].key),
            ("Bag-Count", f"{self._part.number} of {len(parts)}"),
            *(("Fold-Keep-Part", f"{each.number} of {len(parts)}: {visible(each.name)}, {each.key}")
              for each in parts),
        ]  # fmt: skip


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
