"""Reading a whole package, and telling whether it is what its manifests say (RFC 8493)."""

import hashlib
import os
import time
from collections import deque
from collections.abc import Callable, Iterable, Iterator, Sequence
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass, field
from itertools import chain
from typing import Any

from blake3 import blake3

from foldkeep.formats.packages import (
    BadPackage,
    Form,
    Listed,
    Listing,
    Named,
    Names,
    Package,
    Stream,
    bagit,
    open_package,
)
from foldkeep.model import PathBytes, Problem, Progress, Step, no_progress
from foldkeep.model.work import reason_of
from foldkeep.stock import Archived, ArchivedFile, Stock
from foldkeep.storage.local.reading import clamped_ns, forget_pages

_CHUNK = 1024 * 1024
_BLAKE3 = "blake3"
_WORKERS = 2
_AHEAD = 64
_MOST_PROBLEMS = 100_000


@dataclass
class Checked:
    """Result of checking a package.

    Attributes
    ----------
    problems
        What is wrong, by path within the package; of the package itself with an empty path. None: it is whole.
    files, bytes
        Of the payload.
    info
        The tags of ``bag-info.txt``.
    contents
        BLAKE3 of the payload's files, as they were read, with their paths in the package; None where nobody asked.
    """

    path: bytes
    problems: list[Problem] = field(default_factory=list)
    files: int = 0
    bytes: int = 0
    info: dict[str, str] = field(default_factory=dict)
    contents: "dict[PathBytes, PathBytes] | None" = None

    @property
    def is_whole(self) -> bool:
        """Whether nothing is wrong with it."""
        return not self.problems


Whole = Callable[[Package, Checked], None]
"""Is given a package that was found to be whole, while it is open."""


def check_package(
    path: bytes, progress: Progress = no_progress, whole: Whole | None = None, *, known_as: bytes = b"",
    has_contents: bool = False,
) -> Checked:  # fmt: skip
    """Read a package, whole, and compare every file with its manifests; it is told of as lying at `known_as`.

    A package that cannot be read, or that pretends to be what it is not, has a problem; nothing is raised for it.
    With `has_contents` it is told which contents were read: its manifests and its listing may say what they like.
    """
    checked = Checked(known_as or path, contents={} if has_contents else None)
    try:
        with open_package(path, looked_through(progress)) as package:
            _check(package, checked, progress)
            if checked.is_whole and whole:
                whole(package, checked)
    except (BadPackage, OSError) as error:
        checked.problems.append(Problem(b"", reason_of(error)))
    return checked


def remember_package(stock: Stock, package: Package, checked: Checked) -> None:
    """Write down in a stock that a package was read and is whole, and where it lies; one of ours with what is in it.

    Raises BadPackage if its listing cannot be understood.
    """
    key, now_ns = checked.info.get(bagit.KEY_TAG, ""), time.time_ns()
    with stock.transaction():
        if stock.archives.knows(key):
            stock.archives.checked(key, checked.path, now_ns)
            return
        if bagit.LISTING not in package.names:
            return
        listing = Listing(lambda: package.lines(bagit.LISTING, "utf-8"))
        head = listing.head
        if head.key == key:
            archived = Archived(
                0, checked.path, checked.path, head.project, key, clamped_ns(head.made_ns), checked.bytes,
                max(head.left_out, 0), now_ns, max(len(head.parts), 1), next(iter(head.parts), ""),
            )  # fmt: skip
            stock.archives.add(archived, (archived_file(head.project, entry) for _, entry in listing if entry.digest))


def archived_file(project: bytes, entry: Listed) -> ArchivedFile:
    """Return what the stock keeps of an entry of a listing; of a piece that is the whole file."""
    path = b"/" + entry.path if entry.is_outside else os.path.join(project, entry.path)
    size = entry.whole_size if entry.form is Form.PIECE else entry.size
    return ArchivedFile(path, size, clamped_ns(entry.modified_ns), entry.whole_digest or entry.digest)


def looked_through(progress: Progress) -> Callable[[int, int], None]:
    """Return what tells how far a package was looked through for its names."""
    return lambda done, total: progress(Step("Looking through", done, total, "bytes"))


def read_manifests(package: Package) -> str:
    """Note what the manifests of a package, and its ``fetch.txt``, say; return the encoding of its texts.

    Raises BadPackage if it has no manifest for its payload, or they contradict themselves.
    """
    version, encoding = bagit.declared(package.tag(bagit.DECLARATION))
    names, has_payload = package.names, False
    for name in [each.path for each in names.tags()]:
        found = bagit.manifest_algorithm(name)
        if found is None:
            continue
        algorithm, is_about_tags = found
        if is_about_tags and version < (0, 97):
            continue
        has_payload = has_payload or not is_about_tags
        for digest, written in bagit.manifest_entries(package.lines(name, encoding), name):
            names.say(_meant(written, names), algorithm, digest, name, once=version >= (1, 0))
    if not has_payload:
        raise BadPackage("it has no manifest")
    if bagit.FETCH in names:
        for path, address in bagit.fetch_entries(package.lines(bagit.FETCH, encoding)):
            names.note(bagit.FETCH, path, address)
    return encoding


def missing_files(package: Package) -> Iterator[Problem]:
    """Yield what manifests name and is not there; with the address that ``fetch.txt`` has for it."""
    for name in package.names.missing():
        address = package.names.noted(bagit.FETCH, name)
        why = f"not there; {bagit.FETCH} says it is to be had from {address}" if address else "not there"
        yield Problem(os.fsencode(name), why)


def _meant(written: str, names: Names) -> str:
    """Return the file that a line of a manifest means; some write a per cent sign as it is, against the RFC."""
    plain = bagit.decoded(written)
    if plain in names:
        return plain
    return written if written in names else names.alike(plain) or plain


def _check(package: Package, checked: Checked, progress: Progress) -> None:
    version, _ = bagit.declared(package.tag(bagit.DECLARATION))
    encoding = read_manifests(package)
    names = package.names
    info = bagit.INFO if version >= (0, 96) else bagit.OLD_INFO
    if info in names:
        checked.info = bagit.tags_of(package.tag(info), encoding, info)
    if not names.has_below(bagit.PAYLOAD):
        raise BadPackage("it has no payload folder")
    checked.files, checked.bytes = names.totals(bagit.PAYLOAD)
    said = bagit.oxum(checked.info)
    if said is not None and said != (checked.bytes, checked.files):
        checked.problems.append(
            Problem(b"", f"{said[1]:,} files of {said[0]:,} bytes are said to be in it, "
                    f"{checked.files:,} of {checked.bytes:,} bytes are")
        )  # fmt: skip
    unsaid = (Problem(os.fsencode(name), "in no manifest") for name in names.unsaid(bagit.PAYLOAD))
    differing = (Problem(os.fsencode(name), why) for name, why in _differing(package, progress, checked.contents))
    for problem in chain(unsaid, missing_files(package), differing):
        checked.problems.append(problem)
        if len(checked.problems) > _MOST_PROBLEMS:
            raise BadPackage(f"more than {_MOST_PROBLEMS:,} files of it are not what they should be")


def _differing(
    package: Package, progress: Progress, contents: dict[bytes, bytes] | None
) -> Iterator[tuple[str, str]]:  # fmt: skip
    """Yield the files whose content is not what a manifest says; put those of the payload among the contents."""
    done = 0
    for named, wanted, found in _digests(package, (_BLAKE3,) if contents is not None else ()):
        done += named.size
        progress(Step("Reading back", done, package.names.bytes, "bytes"))
        if isinstance(found, str):
            yield named.path, found
            continue
        read = found.pop(_BLAKE3, "")
        if contents is not None and named.path.startswith(f"{bagit.PAYLOAD}/"):
            contents[bytes.fromhex(read)] = os.fsencode(named.path)
        wrong = [algorithm for algorithm, digest in found.items() if digest != wanted[algorithm]]
        if wrong:
            yield named.path, f"its content is not what the manifest of {' and '.join(wrong)} says"


Digested = tuple[Named, dict[str, str], dict[str, str] | str]
"""A file, what its digests should be, and what they are or why it cannot be read."""


def _digests(package: Package, more: Sequence[str] = ()) -> Iterator[Digested]:
    """Yield the files of a package that manifests have, with their digests, and by `more` algorithms.

    The files of a folder are read by two threads at once, since hashing lets others work meanwhile.
    """
    opener: Any = getattr(package, "open", None)
    if opener is None:
        for named, stream in package.contents():
            if wanted := package.names.said(named.path):
                yield named, wanted, _hashed(stream, named.size, (*wanted, *more))
        return

    def read(named: Named, wanted: dict[str, str]) -> Digested:
        try:
            with opener(named.path) as file:
                forget_pages(file.fileno())
                return named, wanted, _hashed(file, named.size, (*wanted, *more))
        except OSError as error:
            return named, wanted, reason_of(error)

    with ThreadPoolExecutor(_WORKERS) as pool:
        waiting: deque[Future[Digested]] = deque()
        # The largest first: the last one to be read must not be one that the others wait for.
        for named in package.names.below(largest_first=True):
            if wanted := package.names.said(named.path):
                waiting.append(pool.submit(read, named, wanted))
            if len(waiting) > _AHEAD:
                yield waiting.popleft().result()
        while waiting:
            yield waiting.popleft().result()


def _hashed(stream: Stream, size: int, algorithms: Iterable[str]) -> dict[str, str] | str:
    hashers = {
        algorithm: blake3() if algorithm == _BLAKE3 else hashlib.new(algorithm, usedforsecurity=False)
        for algorithm in algorithms
    }
    read = 0
    try:
        while data := stream.read(_CHUNK):
            read += len(data)
            for hasher in hashers.values():
                hasher.update(data)
    except (OSError, EOFError, ValueError, ArithmeticError) as error:
        return f"cannot be read: {error}"
    if read != size:
        return f"{read:,} bytes of it can be read, {size:,} are said to be there"
    return {algorithm: hasher.hexdigest() for algorithm, hasher in hashers.items()}
