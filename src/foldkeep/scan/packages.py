"""Reading a whole package, and telling whether it is what its manifests say (RFC 8493)."""

import hashlib
import os
from collections import defaultdict
from collections.abc import Iterator, Mapping
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field
from typing import Any

from foldkeep.formats import BadPackage, Package, Stream, bagit, open_package
from foldkeep.model import Problem, Progress, Step, no_progress, reason_of
from foldkeep.storage.local import forget_pages

_CHUNK = 1024 * 1024
_WORKERS = 2


@dataclass
class Checked:
    """What a package was found to be.

    Attributes
    ----------
    problems
        What is wrong, by path within the package; of the package itself with an empty path. None: it is whole.
    files, bytes
        Of the payload.
    info
        The tags of ``bag-info.txt``.
    """

    path: bytes
    problems: list[Problem] = field(default_factory=list)
    files: int = 0
    bytes: int = 0
    info: dict[str, str] = field(default_factory=dict)

    @property
    def is_whole(self) -> bool:
        """Whether nothing is wrong with it."""
        return not self.problems


Entries = dict[str, dict[str, str]]
"""Digests by algorithm, by path within the package."""


def check_package(path: bytes, progress: Progress = no_progress) -> Checked:
    """Read a package, whole, and compare every file with its manifests.

    A package that cannot be read, or that pretends to be what it is not, has a problem; nothing is raised for it.
    """
    checked = Checked(path)
    try:
        with open_package(path) as package:
            _check(package, checked, progress)
    except (BadPackage, OSError) as error:
        checked.problems.append(Problem(b"", reason_of(error)))
    return checked


def manifests_of(package: Package) -> Entries:
    """Return what the manifests of a package have for each path.

    Raises BadPackage if it has none for its payload, or they contradict themselves.
    """
    version, encoding = bagit.declared(package.tag(bagit.DECLARATION))
    entries: Entries = defaultdict(dict)
    has_payload = False
    for name in sorted(package.files):
        found = bagit.manifest_algorithm(name)
        if found is None:
            continue
        algorithm, is_about_tags = found
        if is_about_tags and version < (0, 97):
            continue
        has_payload = has_payload or not is_about_tags
        seen: set[str] = set()
        for digest, written in bagit.manifest_entries(package.tag(name), encoding, name):
            path = _meant(written, package)
            before = entries[path].get(algorithm)
            if path in seen and (version >= (1, 0) or before != digest):
                raise BadPackage(f"{name} has {path!r} twice")
            if before not in (None, digest):
                raise BadPackage(f"the manifests contradict each other about {path!r}")
            seen.add(path)
            entries[path][algorithm] = digest
    if not has_payload:
        raise BadPackage("it has no manifest")
    return entries


def _meant(written: str, package: Package) -> str:
    """Return the file that a line of a manifest means; some write a per cent sign as it is, against the RFC."""
    plain = bagit.decoded(written)
    if plain in package.files:
        return plain
    return written if written in package.files else _alike(plain, package)


def _alike(path: str, package: Package) -> str:
    """Return the one file whose name is the same in another normal form of Unicode, or the path itself."""
    if path.isascii():
        return path
    return next((name for name in package.files if bagit.composed(name) == bagit.composed(path)), path)


def _check(package: Package, checked: Checked, progress: Progress) -> None:
    version, encoding = bagit.declared(package.tag(bagit.DECLARATION))
    entries = manifests_of(package)
    info = bagit.INFO if version >= (0, 96) else "package-info.txt"
    if info in package.files:
        checked.info = bagit.tags_of(package.tag(info), encoding, info)
    if bagit.FETCH in package.files:
        bagit.check_fetch(package.tag(bagit.FETCH), encoding)
    if not any(bagit.is_payload(name) for name in (*package.files, *package.folders)):
        raise BadPackage("it has no payload folder")
    payload = {name: size for name, size in package.files.items() if bagit.is_payload(name)}
    checked.files, checked.bytes = len(payload), sum(payload.values())
    said = bagit.oxum(checked.info)
    if said is not None and said != (checked.bytes, checked.files):
        checked.problems.append(
            Problem(b"", f"{said[1]:,} files of {said[0]:,} bytes are said to be in it, "
                    f"{checked.files:,} of {checked.bytes:,} bytes are")
        )  # fmt: skip
    for name in sorted(payload.keys() - entries.keys()):
        checked.problems.append(Problem(os.fsencode(name), "in no manifest"))
    for name in sorted(entries.keys() - package.files.keys()):
        checked.problems.append(Problem(os.fsencode(name), "not there"))
    for name, why in _differing(package, entries, progress):
        checked.problems.append(Problem(os.fsencode(name), why))


def _differing(
    package: Package, entries: Mapping[str, Mapping[str, str]], progress: Progress
) -> Iterator[tuple[str, str]]:
    """Yield the files whose content is not what a manifest says."""
    total = sum(package.files.values())
    done = 0
    wanted = {name: list(entries[name]) for name in package.files if entries.get(name)}
    for name, found in digests(package, wanted):
        done += package.files[name]
        progress(Step("Reading back", done, total, "bytes"))
        if isinstance(found, str):
            yield name, found
            continue
        wrong = [algorithm for algorithm, digest in found.items() if digest != entries[name][algorithm]]
        if wrong:
            yield name, f"its content is not what the manifest of {' and '.join(wrong)} says"


def digests(package: Package, wanted: Mapping[str, list[str]]) -> Iterator[tuple[str, dict[str, str] | str]]:
    """Yield files of a package with their digests by algorithm, or with why they cannot be read.

    The files of a folder are read by two threads at once, since hashing lets others work meanwhile.
    """
    opener: Any = getattr(package, "open", None)
    if opener is None:
        for name, stream in package.contents():
            if name in wanted:
                yield name, _hashed(stream, package.files[name], wanted[name])
        return

    def read(name: str) -> tuple[str, dict[str, str] | str]:
        try:
            with opener(name) as file:
                forget_pages(file.fileno())
                return name, _hashed(file, package.files[name], wanted[name])
        except OSError as error:
            return name, reason_of(error)

    with ThreadPoolExecutor(_WORKERS) as pool:
        # The largest first: the last one to be read must not be one that the others wait for.
        yield from pool.map(read, sorted(wanted, key=lambda name: -package.files[name]))


def _hashed(stream: Stream, size: int, algorithms: list[str]) -> dict[str, str] | str:
    hashers = [hashlib.new(algorithm, usedforsecurity=False) for algorithm in algorithms]
    read = 0
    try:
        while data := stream.read(_CHUNK):
            read += len(data)
            for hasher in hashers:
                hasher.update(data)
    except (OSError, EOFError, ValueError, ArithmeticError) as error:
        return f"cannot be read: {error}"
    if read != size:
        return f"{read:,} bytes of it can be read, {size:,} are said to be there"
    return {hasher.name.replace("-", "_"): hasher.hexdigest() for hasher in hashers}
