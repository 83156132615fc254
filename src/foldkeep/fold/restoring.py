"""Bringing a package back: checked while it is written, under a name of its own, never over anything."""

import errno
import hashlib
import os
import shutil
import time
from collections.abc import Iterator, Mapping
from contextlib import contextmanager, suppress
from dataclasses import dataclass, field, replace
from typing import Any

from blake3 import blake3

from foldkeep.formats import (
    UNFINISHED,
    BadPackage,
    Form,
    Listed,
    ListingHead,
    Package,
    Stream,
    bagit,
    open_package,
    parse_listing,
)
from foldkeep.model import (
    Problem,
    Progress,
    Step,
    UnusableInput,
    beside,
    format_size,
    kind_of,
    no_progress,
    reason_of,
    visible,
)
from foldkeep.scan import MEDIA, manifests_of
from foldkeep.storage.local import Folders, copy_file, facts_of, flush_volume, has_digest, move_to_free

from .places import hold_around
from .writers import write_all

_CHUNK = 1024 * 1024
_NEW = os.O_WRONLY | os.O_CREAT | os.O_EXCL | os.O_NOFOLLOW | os.O_CLOEXEC
_INSIDE, _OUTSIDE = b"project", b"outside"
_OUTSIDE_WORDS = b" (outside media)"
_MOST_NAMES = 10_000
_LONGEST_SITE = 200  # bytes; what is unfinished has more behind its name

Path = bytes


@dataclass
class RestoreReport:
    """What bringing a package back came to.

    Attributes
    ----------
    folder
        Where the project is now.
    outside
        Where media from outside it is: a folder, or empty if there is none or each is back where it came from.
    put_back
        Media that went back where it came from; what lay there with that content already counts too.
    without_bits
        How many files and folders had setuid, setgid or sticky bits, which they do not have now.
    renamed
        Media that got a name beside its own, since that is taken by something else: from where, and to where.
    problems
        What could not be brought back.
    """

    folder: Path = b""
    outside: Path = b""
    files: int = 0
    bytes: int = 0
    put_back: int = 0
    without_bits: int = 0
    renamed: list[tuple[Path, Path]] = field(default_factory=list)
    problems: list[Problem] = field(default_factory=list)


def restore(
    path: bytes,
    target: bytes,
    *,
    outside_back: bool = False,
    special_modes: bool = False,
    progress: Progress = no_progress,
    break_lock: bool = False,
) -> RestoreReport:
    """Bring what is in a package back into a folder.

    Every file is compared with the manifests while it is written. All of it grows beside the name that it gets at
    the end, which is free; if a single file is not what it should be, nothing is brought back.

    Parameters
    ----------
    outside_back
        Put media from outside the project back where it came from, where nothing else lies now; else it gets a
        folder beside the project's.
    special_modes
        Give back setuid, setgid and sticky bits as well, which have a file run as somebody else.
    break_lock
        Take locks of other computers on places for dead.

    Raises
    ------
    UnusableInput
        If the package is damaged or not safe, there is no room, or the target cannot be written.
    PlaceBusy
        If somebody else is at work in the target, or a place around it.
    """
    try:
        with hold_around(None, [target], "restore", break_lock=break_lock), open_package(path) as package:
            name, head, entries = _entries(package)
            plain = entries if special_modes else [replace(entry, mode=entry.mode & 0o777) for entry in entries]
            without_bits = sum(entry != before for entry, before in zip(plain, entries, strict=True))
            if head is not None and not special_modes:
                without_bits += head.mode > 0o777
                head = replace(head, mode=head.mode & 0o777)
            entries = plain
            _check_room(entries, target)
            with _site(target, name) as site:
                _Restoring(site, package, entries, progress).write()
                if head is not None:
                    _like(os.path.join(site, _INSIDE), head.mode, head.modified_ns)
                report = _place(site, target, name, entries, outside_back)
                report.without_bits = without_bits
                return report
    except BadPackage as error:
        raise UnusableInput(
            f"cannot restore {visible(path)}: {visible(str(error))}",
            f"nothing was written; `foldkeep archive --check {visible(path)}` names all that is wrong",
        ) from error
    except OSError as error:
        raise UnusableInput(
            f"cannot restore {visible(path)} into {visible(target)}: {reason_of(error)}",
            "nothing was written; mend that and run it again",
        ) from error


def _entries(package: Package) -> tuple[bytes, ListingHead | None, list[Listed]]:
    """Return what the project is called, and every name in it; of a bag of others only the files are known."""
    bagit.declared(package.tag(bagit.DECLARATION))
    payload = {name: size for name, size in package.files.items() if name.startswith(f"{bagit.PAYLOAD}/")}
    if bagit.LISTING not in package.files:
        now_ns = time.time_ns()
        found = [
            Listed(Form.FILE, os.fsencode(name.partition("/")[2]), 0o644, now_ns, name, size)
            for name, size in payload.items()
        ]
        return os.path.basename(package.path.rstrip(b"/")).partition(b".")[0] or b"package", None, found
    head, entries = parse_listing(package.tag(bagit.LISTING))
    sizes = {entry.payload: entry.size for entry in entries if entry.form is Form.FILE}
    if sizes != payload:
        raise BadPackage(f"{bagit.LISTING} and the payload are not about the same files")
    return os.path.basename(head.project) or b"project", head, entries


def _check_room(entries: list[Listed], target: bytes) -> None:
    needed = sum(entry.size for entry in entries if not entry.is_sparse)
    room = os.statvfs(target)
    free = room.f_bavail * room.f_frsize
    if needed > free:
        raise BadPackage(f"it takes {format_size(needed)}, and {format_size(free)} are free in {visible(target)}")


@contextmanager
def _site(target: bytes, name: bytes) -> Iterator[bytes]:
    """Make a folder beside the name that a project gets; take away what is left in it."""
    for number in range(1, _MOST_NAMES):
        site = os.path.join(target, beside(name[:_LONGEST_SITE], number) + UNFINISHED)
        try:
            os.mkdir(site, 0o700)
            break
        except FileExistsError:
            continue
    else:
        raise BadPackage("no name is free for it there")
    try:
        os.mkdir(os.path.join(site, _INSIDE))
        os.mkdir(os.path.join(site, _OUTSIDE))
        yield site
    finally:
        _take_away(site)


def _take_away(site: bytes) -> None:
    """Remove a folder of ours, whose own folders may be such as cannot be written into."""
    for folder, _, _ in os.walk(site):
        with suppress(OSError):
            os.chmod(folder, 0o700)
    shutil.rmtree(site, ignore_errors=True)


class _Restoring:
    """Writes what is in a package into a folder of ours."""

    def __init__(self, site: bytes, package: Package, entries: list[Listed], progress: Progress) -> None:
        self._site = site
        self._package = package
        self._entries = entries
        self._progress = progress
        self._total = sum(entry.size for entry in entries)
        self._done = 0

    def write(self) -> None:
        """Write all of it and flush it; BadPackage if a file is not what it should be."""
        manifests = manifests_of(self._package)
        self._check_tags(manifests)
        files = {entry.payload: entry for entry in self._entries if entry.form is Form.FILE}
        missing = files.keys() - manifests.keys()
        if missing:
            raise BadPackage(f"{min(missing)!r} is in no manifest")
        with (
            Folders(os.path.join(self._site, _INSIDE)) as inside,
            Folders(os.path.join(self._site, _OUTSIDE)) as outside,
        ):
            for name, stream in self._package.contents():
                if entry := files.pop(name, None):
                    self._file(outside if entry.is_outside else inside, entry, stream, manifests[name])
            if files:
                raise BadPackage(f"{min(files)!r} is not there")
            for entry in self._entries:
                if entry.form is not Form.FILE:
                    self._name(inside, entry)
        self._finish_folders()
        flush_volume(self._site)

    def _check_tags(self, manifests: Mapping[str, Mapping[str, str]]) -> None:
        """Compare the listing with the manifests, since it tells where everything goes."""
        said = manifests.get(bagit.LISTING, {})
        if bagit.LISTING in self._package.files:
            content = self._package.tag(bagit.LISTING)
            if not said or any(bagit.digest_of(algorithm, content) != digest for algorithm, digest in said.items()):
                raise BadPackage(f"{bagit.LISTING} is not what its manifest says")

    def _file(self, folders: Folders, entry: Listed, stream: Stream, digests: Mapping[str, str]) -> None:
        folder, name = folders.of(os.path.join(folders.top, entry.path), make=True)
        hashers: dict[str, Any] = {each: hashlib.new(each, usedforsecurity=False) for each in digests}
        content = blake3()
        descriptor = os.open(name, _NEW, 0o600, dir_fd=folder)
        try:
            size = 0
            while data := stream.read(_CHUNK):
                size += len(data)
                if size > entry.size:
                    raise BadPackage(f"{entry.payload!r} is larger than it is said to be")
                for hasher in (*hashers.values(), content):
                    hasher.update(data)
                if entry.is_sparse and not data.strip(b"\0"):
                    os.lseek(descriptor, len(data), os.SEEK_CUR)
                else:
                    write_all(descriptor, data)
                self._progress(Step("Restoring", self._done + size, self._total, "bytes"))
            os.ftruncate(descriptor, size)
            wrong = [each for each, hasher in hashers.items() if hasher.hexdigest() != digests[each]]
            if wrong or size != entry.size or entry.digest not in (b"", content.digest()):
                raise BadPackage(f"{entry.payload!r} is not what its manifest says")
            os.fchmod(descriptor, entry.mode)
            os.utime(descriptor, ns=(entry.modified_ns, entry.modified_ns))
        finally:
            os.close(descriptor)
        self._done += entry.size

    def _name(self, folders: Folders, entry: Listed) -> None:
        """Make what is no file of its own; links come after all files, so that nothing is written through one."""
        folder, name = folders.of(os.path.join(folders.top, entry.path), make=True)
        if entry.form is Form.FOLDER:
            if facts_of(folder, name) is None:
                os.mkdir(name, dir_fd=folder)
        elif entry.form is Form.LINK:
            os.symlink(entry.target, name, dir_fd=folder)
            os.utime(name, ns=(entry.modified_ns, entry.modified_ns), dir_fd=folder, follow_symlinks=False)
        else:
            source, source_name = folders.of(os.path.join(folders.top, entry.target))
            folder, name = folders.of(os.path.join(folders.top, entry.path))
            os.link(source_name, name, src_dir_fd=source, dst_dir_fd=folder, follow_symlinks=False)

    def _finish_folders(self) -> None:
        """Give folders their modes and times, the innermost first: to write into one changes its time."""
        folders = [entry for entry in self._entries if entry.form is Form.FOLDER]
        with Folders(os.path.join(self._site, _INSIDE)) as inside:
            for entry in sorted(folders, key=lambda entry: -entry.path.count(b"/")):
                folder, name = inside.of(os.path.join(inside.top, entry.path))
                _like(name, entry.mode, entry.modified_ns, folder)


def _like(name: bytes, mode: int, modified_ns: int, folder: int | None = None) -> None:
    """Give a folder its mode and time."""
    descriptor = os.open(name, os.O_RDONLY | os.O_DIRECTORY | os.O_NOFOLLOW, dir_fd=folder)
    try:
        os.fchmod(descriptor, mode)
        os.utime(descriptor, ns=(modified_ns, modified_ns))
    finally:
        os.close(descriptor)


def _place(site: bytes, target: bytes, name: bytes, entries: list[Listed], outside_back: bool) -> RestoreReport:
    """Give what was written its names."""
    report = RestoreReport(files=sum(entry.form is Form.FILE for entry in entries), bytes=sum(e.size for e in entries))
    outside = [entry for entry in entries if entry.is_outside]
    here = os.open(site, os.O_RDONLY | os.O_DIRECTORY | os.O_CLOEXEC)
    there = os.open(target, os.O_RDONLY | os.O_DIRECTORY | os.O_CLOEXEC)
    try:
        report.folder = os.path.join(target, move_to_free(here, _INSIDE, there, name))
        if outside_back:
            outside = [entry for entry in outside if not _put_back(site, entry, report)]
        if outside:
            report.outside = os.path.join(target, move_to_free(here, _OUTSIDE, there, name + _OUTSIDE_WORDS))
        os.fsync(there)
    finally:
        os.close(here)
        os.close(there)
    return report


def _put_back(site: bytes, entry: Listed, report: RestoreReport) -> bool:
    """Put a file from outside the project back where it came from; tell whether it is there now."""
    path = b"/" + entry.path
    if kind_of(os.path.basename(path)) not in MEDIA:
        report.problems.append(Problem(path, "is no media, so it is not put there"))
        return False
    try:
        with Folders(os.path.join(site, _OUTSIDE)) as outside, Folders(b"/") as root:
            source, name = outside.of(os.path.join(outside.top, entry.path))
            folder, wanted = root.of(path, make=True)
            if facts_of(folder, wanted) is not None and has_digest(folder, wanted, entry.digest):
                os.unlink(name, dir_fd=source)
            else:
                got = _brought(source, name, folder, wanted)
                if got != wanted:
                    report.renamed.append((path, os.path.join(os.path.dirname(path), got)))
        report.put_back += 1
    except OSError as error:
        report.problems.append(Problem(path, f"could not be put back: {reason_of(error)}"))
        return False
    return True


def _brought(source: int, name: bytes, folder: int, wanted: bytes) -> bytes:
    """Move a file to a name that is free, also to another volume, and return the name."""
    try:
        return move_to_free(source, name, folder, wanted)
    except OSError as error:
        if error.errno != errno.EXDEV:
            raise
    for number in range(1, _MOST_NAMES):
        with suppress(FileExistsError):
            copy_file(source, name, folder, beside(wanted, number))
            os.unlink(name, dir_fd=source)
            return beside(wanted, number)
    raise FileExistsError(errno.EEXIST, "no name is free for it there")
