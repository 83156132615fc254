"""Bringing packages back: checked while they are written, under a name of their own, never over anything."""

import hashlib
import os
from collections import Counter
from collections.abc import Callable, Iterator, Mapping, Sequence
from contextlib import ExitStack, contextmanager
from dataclasses import dataclass, field
from typing import Any

from blake3 import blake3

from foldkeep.fold import hold_around
from foldkeep.formats.packages import UNFINISHED, BadPackage, Form, Listed, Names, Owner, Stream, open_package
from foldkeep.model import PathBytes, Problem, Progress, Step, UnusableInput, no_progress, visible
from foldkeep.model.names import names_to_try
from foldkeep.model.units import format_size
from foldkeep.model.volumes import Limits
from foldkeep.model.work import reason_of
from foldkeep.scan.packages import looked_through
from foldkeep.storage import storage_at
from foldkeep.storage.local.changes import Folders, flush, link, move_to_free, take_away, unlink
from foldkeep.storage.local.holes import SparseWriter
from foldkeep.storage.local.ownership import give_attributes, give_owner, is_special, owner_here
from foldkeep.storage.local.reading import FOLDER, digest_of, facts_of, open_in, open_top

from .contents import Contents, Whole
from .fitting import FittingNames
from .returning import Return, put_back, returns
from .writers import write_all

_CHUNK = 1024 * 1024
_BLOCK = 4096
_NEW = os.O_RDWR | os.O_CREAT | os.O_EXCL | os.O_NOFOLLOW | os.O_CLOEXEC
_MORE = os.O_RDWR | os.O_NOFOLLOW | os.O_CLOEXEC
_INSIDE, _OUTSIDE = b"project", b"outside"
_OUTSIDE_WORDS = b" (outside media)"
_LONGEST_SITE = 200  # bytes; what is unfinished has more behind its name


@dataclass
class RestoreReport:
    """Report of a restore.

    Attributes
    ----------
    folder
        Where the project is now.
    outside
        Where media from outside it is: a folder, or empty if there is none or each is back where it came from.
    put_back
        Media that went back where it came from; what lay there with that content already counts too.
    without_rights
        How many files and folders had setuid, setgid or sticky bits, or attributes that give rights, which they do not
        have now.
    lost
        What could not be given back to how many: "owner", names of extended attributes.
    fitted
        How many names are not what they were, since the target cannot have those.
    renamed
        Media that got a name beside its own, since that is taken by something else: from where, and to where.
    problems
        What could not be brought back.
    """

    folder: PathBytes = b""
    outside: PathBytes = b""
    files: int = 0
    bytes: int = 0
    put_back: int = 0
    without_rights: int = 0
    lost: Counter[str] = field(default_factory=Counter)
    fitted: int = 0
    renamed: list[tuple[PathBytes, PathBytes]] = field(default_factory=list)
    problems: list[Problem] = field(default_factory=list)


@dataclass
class Restoration:
    """Contents of open packages, ready to be brought back into a folder.

    Attributes
    ----------
    missing
        Files that manifests name and that are not there; with one of these nothing can be brought back.
    returns
        Where media from outside the project would go.
    limits, refused
        What the volume of the target cannot hold; and the paths that it cannot have, with why: they get names of
        their own.
    """

    whole: Whole
    target: PathBytes
    returns: list[Return]
    limits: Limits
    refused: list[tuple[PathBytes, str]]
    _name: Callable[[], str]
    _special_modes: bool

    @property
    def missing(self) -> list[Problem]:
        return self.whole.missing

    def carry_out(self, progress: Progress = no_progress, *, break_lock: bool = False) -> RestoreReport:
        """Write all of it into the target.

        Every file is compared with the manifests while it is written. All of it grows beside the name that it gets at
        the end, which is free; if a single file is not what it should be, nothing is brought back.

        Raises
        ------
        UnusableInput
            If the package is damaged or there is no room, or the target cannot be written.
        PlaceBusy
            If somebody else is at work in the target, or a place around it.
        """
        whole = self.whole
        places = {each.place for each in self.returns if each.place}
        with (
            _told(self._name, self.target),
            hold_around(None, [self.target, *places], "restore", break_lock=break_lock),
        ):
            _check_room(whole, self.target)
            name = whole.parts[0].name
            report = RestoreReport(files=whole.files, bytes=whole.bytes)
            with _site(self.target, name) as site:
                names = FittingNames(self.limits)
                try:
                    _Restoring(site, whole, report, progress, self._special_modes, names).write()
                except KeyboardInterrupt as error:
                    raise KeyboardInterrupt(
                        f"nothing was restored, and nothing of it is left in {visible(self.target)}"
                    ) from error
                report.fitted = names.changed
                _place(site, self.target, name, whole, self.returns, report, names)
            return report


@contextmanager
def open_restoration(
    paths: Sequence[PathBytes],
    target: PathBytes,
    *,
    special_modes: bool = False,
    back_below: Mapping[PathBytes, PathBytes] | None = None,
    without_parts: bool = False,
    progress: Progress = no_progress,
) -> Iterator[Restoration]:
    """Open a package, or the parts of one, and look through what is in it, for the time of the block.

    Parameters
    ----------
    special_modes
        Give back setuid, setgid and sticky bits, and attributes that give rights, as well.
    back_below
        Folders below which media from outside the project may go back where it came from, with the place that each
        lies in; without it that gets a folder beside the project's.
    without_parts
        Bring back what is in these parts, though others are not here.

    Raises
    ------
    UnusableInput
        If one of them is damaged or not safe, or they are not the parts of one package.
    """
    names = Names()

    def called() -> str:
        return visible(paths[0]) if len(paths) == 1 else f"{visible(paths[0])} and {len(paths) - 1} more"

    with ExitStack() as stack:
        stack.callback(names.close)
        with _told(called, target):
            parts = [Contents.of(stack.enter_context(open_package(path, looked_through(progress)))) for path in paths]
            whole = Whole.of(parts, names)
            if whole.lacking and not without_parts:
                numbers = ", ".join(map(str, whole.lacking))
                raise UnusableInput(
                    f"{called()}: of the {len(whole.parts) + len(whole.lacking)} parts these are missing: {numbers}",
                    "name all parts at once, or add --without-parts to bring back what is in these",
                )
            back = returns(whole, back_below) if back_below is not None else []
            limits = storage_at(target).limits_of(target)
            refused = [
                (entry.path, why) for entry in whole for step in (os.path.basename(entry.path),)
                if (why := limits.refusal(step)) and not entry.start
            ]  # fmt: skip
            too_large = [entry for entry in whole if 0 < limits.largest < max(entry.size, entry.whole_size)]
            if too_large:
                raise UnusableInput(
                    f"{visible(too_large[0].path)} is larger than any file can be in {visible(target)}",
                    "name a folder on another drive",
                )
        yield Restoration(whole, target, back, limits, refused, called, special_modes)


@contextmanager
def _told(called: Callable[[], str], target: PathBytes) -> Iterator[None]:
    try:
        yield
    except BadPackage as error:
        raise UnusableInput(
            f"cannot restore {called()}: {visible(str(error))}",
            "nothing was written; `foldkeep archive --check` names all that is wrong with it",
        ) from error
    except OSError as error:
        raise UnusableInput(
            f"cannot restore {called()} into {visible(target)}: {reason_of(error)}",
            "nothing was written; mend that and run it again",
        ) from error


def _check_room(whole: Whole, target: PathBytes) -> None:
    needed = whole.room + _BLOCK * whole.files
    room = os.statvfs(target)
    free = room.f_bavail * room.f_frsize
    if needed > free:
        raise BadPackage(f"it takes {format_size(needed)}, and {format_size(free)} are free in {visible(target)}")


@contextmanager
def _site(target: PathBytes, name: bytes) -> Iterator[PathBytes]:
    """Make a folder beside the name that a project gets; take away what is left in it."""
    for free in names_to_try(name[:_LONGEST_SITE]):
        site = os.path.join(target, free + UNFINISHED)
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
        take_away(site)


class _Restoring:
    """Writes what is in packages into a folder of ours."""

    def __init__(
        self,
        site: PathBytes,
        whole: Whole,
        report: RestoreReport,
        progress: Progress,
        special_modes: bool,
        names: FittingNames,
    ) -> None:
        self._site = site
        self._whole = whole
        self._report = report
        self._progress = progress
        self._special_modes = special_modes
        self._done = 0
        self._names = names
        self._inside = Folders(os.path.join(site, _INSIDE))
        self._outside = Folders(os.path.join(site, _OUTSIDE))

    def write(self) -> None:
        """Write all of it and flush it; BadPackage if a file is not what it should be."""
        with self._inside, self._outside:
            for part in self._whole.parts:
                self._contents(part)
            for path in self._whole.pieces:
                self._check_pieces(path)
            folders = []
            for entry in self._whole:
                if entry.form is Form.FOLDER:
                    folders.append(entry)
                elif not entry.is_content:
                    self._name(entry)
            for entry in folders:
                self._folder(entry)
            # The innermost first: whoever may not enter a folder cannot give anything to those in it.
            for entry in sorted(folders, key=lambda entry: -entry.path.count(b"/")):
                folder, name = self._spot(entry)
                self._like(open_in(folder, name, FOLDER), entry)
            if head := self._whole.head:
                top = open_top(self._inside.top)
                like = Listed(
                    Form.FOLDER, b".", head.mode, head.modified_ns, owner=head.owner, attributes=head.attributes
                )
                self._like(top, like)
        storage_at(self._site).flush_volume(self._site)

    def _contents(self, part: Contents) -> None:
        written = 0
        for named, stream in part.package.contents():
            entry = part.entry(named)
            if entry is None:
                continue
            said = part.package.names.said(named.path)
            if not said:
                raise BadPackage(f"{named.path!r} is in no manifest")
            self._file(entry, stream, said)
            written += 1
        if written != part.package.names.totals("data")[0]:
            raise BadPackage("not all of it can be read")

    def _spot(self, entry: Listed, *, make: bool = False) -> tuple[int, bytes]:
        folders = self._outside if entry.is_outside else self._inside
        return folders.of(os.path.join(folders.top, self._names.of(entry.path)), make=make)

    def _file(self, entry: Listed, stream: Stream, said: Mapping[str, str]) -> None:
        folder, name = self._spot(entry, make=True)
        hashers: dict[str, Any] = {each: hashlib.new(each, usedforsecurity=False) for each in said}
        content = blake3()
        begun = entry.form is Form.PIECE and facts_of(folder, name) is not None
        descriptor = open_in(folder, name, _MORE if begun else _NEW)
        try:
            holes = _holes(descriptor, entry) if entry.is_sparse else None
            os.lseek(descriptor, entry.start, os.SEEK_SET)
            size = 0
            while data := stream.read(_CHUNK):
                size += len(data)
                if size > entry.size:
                    raise BadPackage(f"{entry.payload!r} is larger than it is said to be")
                for hasher in (*hashers.values(), content):
                    hasher.update(data)
                if holes:
                    holes.write(data)
                else:
                    write_all(descriptor, data)
                self._progress(Step("Restoring", self._done + size, self._whole.bytes, "bytes"))
            wrong = [each for each, hasher in hashers.items() if hasher.hexdigest() != said[each]]
            if wrong or size != entry.size or entry.digest not in (b"", content.digest()):
                raise BadPackage(f"{entry.payload!r} is not what its manifest says")
            os.ftruncate(descriptor, entry.whole_size if entry.form is Form.PIECE else size)
        except BaseException:
            os.close(descriptor)
            raise
        self._done += entry.size
        if begun:
            os.close(descriptor)
        else:
            self._like(descriptor, entry)

    def _check_pieces(self, path: bytes) -> None:
        """Read a file that was in pieces, and compare it; one that lacks pieces is a problem, and goes again."""
        entry = self._whole.pieces[path][0]
        folder, name = self._spot(entry)
        if self._whole.is_cut(path):
            unlink(name, folder)
            self._report.problems.append(Problem(path, "in pieces, some of which are in a part that is not here"))
            self._report.files -= 1
            return
        descriptor = open_in(folder, name, _MORE)
        try:
            if digest_of(descriptor, entry.whole_size) != (entry.whole_digest, entry.whole_size):
                raise BadPackage(f"the pieces of {visible(path)} are not the file that they were cut from")
            os.utime(descriptor, ns=(entry.modified_ns, entry.modified_ns))
        finally:
            os.close(descriptor)

    def _name(self, entry: Listed) -> None:
        """Make what is no file of its own; links come after all files, so that nothing is written through one."""
        folder, name = self._spot(entry, make=True)
        if entry.form is Form.LINK:
            if facts_of(folder, name) is not None:  # every part tells of every link
                return
            os.symlink(entry.target, name, dir_fd=folder)
            os.utime(name, ns=(entry.modified_ns, entry.modified_ns), dir_fd=folder, follow_symlinks=False)
            return
        folders = self._outside if entry.is_outside else self._inside
        source, source_name = folders.of(os.path.join(folders.top, self._names.of(entry.target)))
        if self._whole.lacking and facts_of(source, source_name) is None:
            self._report.problems.append(Problem(entry.path, "another name of a file in a part that is not here"))
            return
        folder, name = self._spot(entry)
        link(source, source_name, folder, name)

    def _folder(self, entry: Listed) -> None:
        folder, name = self._spot(entry, make=True)
        if facts_of(folder, name) is None:
            os.mkdir(name, dir_fd=folder)

    def _like(self, descriptor: int, entry: Listed) -> None:
        """Give an open file or folder of ours its owner, attributes, mode and time, and close it."""
        report = self._report
        try:
            owner = entry.owner or (self._whole.head.owner if self._whole.head else None)
            if owner and not give_owner(descriptor, *_here(owner)):
                report.lost["owner"] += 1
            plain = [each for each in entry.attributes if self._special_modes or not is_special(each[0])]
            for name in give_attributes(descriptor, plain):
                report.lost[visible(name)] += 1
            mode = entry.mode if self._special_modes else entry.mode & 0o777
            report.without_rights += mode != entry.mode or len(plain) < len(entry.attributes)
            os.fchmod(descriptor, mode)
            os.utime(descriptor, ns=(entry.modified_ns, entry.modified_ns))
        finally:
            os.close(descriptor)


def _holes(descriptor: int, entry: Listed) -> SparseWriter:
    """Return what writes a file with its holes, or a piece, whose listing counts from where it begins."""
    if entry.data is None:
        return SparseWriter(descriptor, None, entry.start)
    data = tuple((entry.start + start, length) for start, length in entry.data)
    return SparseWriter(descriptor, data, entry.start)


def _here(owner: Owner) -> tuple[int, int]:
    return owner_here(owner.user, owner.group, owner.user_name, owner.group_name)


def _place(
    site: PathBytes,
    target: PathBytes,
    name: bytes,
    whole: Whole,
    back: Sequence[Return],
    report: RestoreReport,
    names: FittingNames,
) -> None:
    """Give what was written its names."""
    here = open_top(site)
    there = open_top(target)
    try:
        name = names.of(name)
        report.folder = os.path.join(target, move_to_free(here, _INSIDE, there, name))
        outside = sum(entry.is_outside and not entry.start and not whole.is_cut(entry.path) for entry in whole)
        for each in back:
            lies_at = names.of(each.entry.path)
            report.put_back += put_back(os.path.join(site, _OUTSIDE), lies_at, each, report.problems, report.renamed)
        if outside > report.put_back:
            report.outside = os.path.join(target, move_to_free(here, _OUTSIDE, there, name + _OUTSIDE_WORDS))
        flush(there)
    finally:
        os.close(here)
        os.close(there)
