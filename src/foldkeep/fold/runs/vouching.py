"""What vouches for a folded file before it is deleted for good: found and read now, and looked at once more after."""

import os
import time
from collections.abc import Callable, Iterator
from contextlib import suppress
from dataclasses import dataclass, field
from datetime import timedelta

from foldkeep.formats import walked
from foldkeep.formats.packages import bagit
from foldkeep.model import Method, PathBytes, RunFile, visible
from foldkeep.model.machines import is_elsewhere, split_machine
from foldkeep.model.names import lies_below, lies_in_a_fold
from foldkeep.model.remote import is_remote
from foldkeep.scan.bins import lies_in_a_bin
from foldkeep.scan.candidates import Candidates
from foldkeep.scan.packages import check_package
from foldkeep.signals import MediaReader
from foldkeep.stock import Archived, Stock
from foldkeep.storage import storage_at
from foldkeep.storage.local.reading import NotSafe, Stamp, Stamps, digest_of, facts_at, opened

from ..elsewhere.proofs import Proofs
from ..lending import Lenders
from ..servers.packages import RemotePackage
from ..servers.sides import Sides
from ..servers.waiting import SIDES_WAIT, SidesWait
from ..sidecars.merging import check_said
from ..sidecars.remaining import words_remaining
from ..source import check_source
from ..vault import files_folder
from ..verify import Comparison, Witness, compared
from .grades import Consent

Stands = Callable[[], bool]
"""Looks whether a witness is, at this moment, what it was when it was read."""

NO_COPY = "no copy of it outside the fold can be read now; unfold it to keep it"
NOT_WHAT_WAS_FOLDED = "its content is not what was folded; unfold it to look at it"

_FRESH_SECONDS = 20.0
"""How long what was read of a witness counts, while looks show that it has not changed."""

_PACKAGE_SECONDS = 1.0


@dataclass
class Vouchers:
    """Finds witnesses outside the folds and reads them.

    Attributes
    ----------
    consent
        What the user says of files that nothing has the content of.
    sides_wait
        How long a fold across sides waits before its release.
    stamps
        What became of files by the hands of this process.
    proofs
        What other machines vouch for, by content.
    candidates
        Files that may have a content.
    reader
        Tells what is written in files that are only alike their keepers; without it, none of them goes.
    lost
        Texts of the sidecar that was vouched for last that the one which vouches for it words otherwise.
    """

    stock: Stock
    consent: Consent = field(default_factory=Consent)
    proofs: Proofs = field(default_factory=dict)
    sides_wait: timedelta = SIDES_WAIT
    stamps: Stamps = field(default_factory=Stamps)
    reader: MediaReader | None = None
    _comparison: Comparison = field(default_factory=Comparison)
    _read: dict[PathBytes, tuple[Witness, float]] = field(default_factory=dict)
    _packages: dict[str, "_Package | RemotePackage"] = field(default_factory=dict)
    _unflushed: dict[int, PathBytes] = field(default_factory=dict)

    def __post_init__(self) -> None:
        self.candidates = Candidates(self.stock)
        self._lenders = Lenders(self.stock)
        self.lost: tuple[str, ...] = ()
        self._sides = Sides(self.stock)
        self._waits = SidesWait(self.stock, self.sides_wait)
        self._why_not_apart = ""

    def make_witnesses_last(self) -> None:
        """Have what was read on the disk, since its copies will be gone from there: it may just have been written."""
        for folder in self._unflushed.values():
            with suppress(OSError):  # where nothing can be written, everything has been
                storage_at(folder).flush_volume(folder)
        self._unflushed.clear()

    def vouch(self, file: RunFile, descriptor: int, folder: int, *, allow_last_copy: bool) -> Stands:
        """Read a file that is to be deleted, and what vouches for it; return what looks at that once more.

        Parameters
        ----------
        descriptor
            Of the file, open.
        folder
            The open folder that it waits in.
        allow_last_copy
            Nothing has to vouch for it.

        Raises
        ------
        NotSafe
            If it is not what was folded, or nothing vouches for it.
        OSError
            If it cannot be read.
        """
        self.lost = ()
        if file.has_essence:
            self._check_made(file, descriptor)
            try:
                return self._source(file, descriptor)
            except NotSafe:
                if not allow_last_copy:
                    raise
                self._check_no_rest_needs(file, descriptor)
                return _always
        if file.is_regenerable or file.is_alike:
            self.consent.check(file)
            self._check_made(file, descriptor)
            self._check_no_rest_needs(file, descriptor)
            if allow_last_copy:
                return _always
            stands = self._source(file, descriptor)
            return self._with_words(file, stands) if file.is_alike else stands
        if file.method is Method.HEAL and not file.digest:
            return self._looks_at(self._good_copy(file))  # nothing can be read of it
        if not file.digest:
            return _always  # what kept a folder from becoming empty, and nobody read
        needs_none = allow_last_copy or (file.method is Method.DELETE and not file.keeper)
        if needs_none:
            self._check_digest(file, descriptor)
            self._check_no_rest_needs(file, descriptor)
            return _always
        self._why_not_apart = ""
        witness = self._copy(file, descriptor)
        if witness is not None:
            return self._looks_at(witness)
        self._check_digest(file, descriptor)
        if file.method is Method.HEAL:
            return self._looks_at(self._good_copy(file))
        for archive, _ in self.stock.archives.holding(file.digest):
            if why_not := self._waits.why_not(file, archive.package):
                self._why_not_apart = why_not
                continue
            package = self._package(archive)
            if package.is_whole and package.holds(file.digest):
                self._check_no_rest_needs(file, descriptor)
                return lambda: package.stands(file.digest)
        is_said = file.words or self.stock.ledger.was_rewritten(file.keeper)
        if is_said and not lies_in_a_fold(file.keeper):
            with suppress(NotSafe):
                said = check_said(file.keeper, folder, os.fsencode(file.slot))
                self._keep_for_flush(said.witness)
                self.lost = said.lost
                return self._looks_at(said.witness)
        if is_elsewhere(file.keeper):
            return self._elsewhere(file, descriptor)
        raise NotSafe(self._why_not_apart or NO_COPY)

    def _elsewhere(self, file: RunFile, descriptor: int) -> Stands:
        """Read a file that goes for one on another machine, which has read that since it was asked to for this."""
        proof = self.proofs.get(file.digest)
        if proof is None:
            machine = split_machine(file.keeper)[0]
            raise NotSafe(f"its keeper is on {machine}, which has to vouch for it again first")
        proof.check(Stamp.of(os.fstat(descriptor)))
        proof.check_content(descriptor)
        self._check_no_rest_needs(file, descriptor)
        return proof.is_fresh

    def _with_words(self, file: RunFile, stands: Stands) -> Stands:
        """Look for what is written in a file that is only alike its keeper; NotSafe where nothing else says it."""
        run = self.stock.ledger.run(file.run)
        if self.reader is None or run is None:
            raise NotSafe("what is written in it cannot be told here; unfold it to keep it")
        waits_at = os.path.join(files_folder(file.place, run.key), os.fsencode(file.slot))
        remaining = words_remaining(self.reader, file, waits_at)
        if remaining.lost:
            raise NotSafe(
                f"it alone says: {visible(os.fsencode(', '.join(remaining.lost)))}; unfold it and write that beside"
                " its keeper, or say --allow-last-copy to give it up"
            )
        return lambda: stands() and all(witness.stands(self.stamps) for witness in remaining.witnesses)

    def vouch_for_rest(self, file: RunFile, *, allow_last_copy: bool) -> Stands:
        """Read a copy of a released file whose rest is to go; return what looks at that once more.

        Raises NotSafe if there is none, unless nothing has to vouch for it.
        """
        if allow_last_copy:
            return _always
        for path in self.stock.sets.paths_of(file.content):
            if lies_in_a_fold(path) or lies_in_a_bin(path):
                continue
            with suppress(OSError), opened(path) as descriptor:
                stamp = Stamp.of(os.fstat(descriptor))
                if digest_of(descriptor, file.size) == (file.content, file.size):
                    return self._looks_at(Witness(path, stamp))
        raise NotSafe("what is written in it is nowhere else: say --allow-last-copy to give it up")

    def _good_copy(self, file: RunFile) -> Witness:
        """Return a file that has the content which a damaged one had: what was put in its place, or another."""
        for path in (file.path, file.keeper, *self.stock.sets.paths_of(file.words)):
            if lies_in_a_fold(path) or lies_in_a_bin(path):
                continue
            with suppress(OSError), opened(path) as descriptor:
                stamp = Stamp.of(os.fstat(descriptor))
                size = stamp.identity.size
                if digest_of(descriptor, size) == (file.words, size):
                    self._unflushed[stamp.identity.device] = os.path.dirname(path)
                    return Witness(path, stamp)
        raise NotSafe("no good copy of it can be read now; unfold it to keep what is left of it")

    def _looks_at(self, witness: Witness) -> Stands:
        return lambda: witness.stands(self.stamps)

    def _keep_for_flush(self, witness: Witness) -> None:
        """Note the volume of a witness on this machine, which must be on the disk before anything is deleted."""
        if witness.device is not None:
            self._unflushed[witness.device] = os.path.dirname(witness.path)

    def _check_digest(self, file: RunFile, descriptor: int) -> None:
        _check_content(descriptor, file.digest, file.size)

    def _check_no_rest_needs(self, file: RunFile, descriptor: int) -> None:
        """Raise NotSafe if released files are rebuilt from a file that goes though nothing else has its essence."""
        count = self._lenders.needs(file, descriptor)
        if count:
            files = "file is" if count == 1 else "files are"
            raise NotSafe(f"{count:,} released {files} rebuilt from it, and nothing else shows the same; unfold it")

    def _check_made(self, file: RunFile, descriptor: int) -> None:
        """Read a file that nothing has the content of; earlier versions did not write down what a derived one held."""
        if file.content or file.is_alike or file.has_essence:
            _check_content(descriptor, file.content, file.size)

    def _copy(self, file: RunFile, descriptor: int) -> Witness | None:
        """Return a copy outside every fold that was compared with the file now, or a moment ago with its like."""
        facts = os.fstat(descriptor)
        candidates = list(self._candidates(file))
        if any(map(is_remote, candidates)):
            run = self.stock.ledger.run(file.run)
            try:
                candidates = self._sides.apart(file.place, run.key if run else "", candidates)
            except NotSafe as error:
                candidates, self._why_not_apart = [], str(error)
        across = [path for path in candidates if self._waits.why_not(file, path)]
        if across:
            self._why_not_apart = self._waits.why_not(file, across[0])
            candidates = [path for path in candidates if path not in across]
        for path in candidates:
            known = self._read.get(path)
            if known and time.monotonic() - known[1] < _FRESH_SECONDS and known[0].stands(self.stamps):
                if known[0].digest != file.digest:
                    continue
                self._check_digest(file, descriptor)
                return known[0]
            try:
                witness, digest = compared(descriptor, facts, path, self._comparison)
            except NotSafe:
                continue
            if digest != file.digest:
                raise NotSafe(NOT_WHAT_WAS_FOLDED)
            self._keep_for_flush(witness)
            self._read[path] = (witness, time.monotonic())
            return witness
        return None

    def _candidates(self, file: RunFile) -> Iterator[PathBytes]:
        """Yield paths that may have a copy, the keeper first; the stock is asked only when that is not enough."""
        seen: set[PathBytes] = set()
        packages = {archive.package for archive, _ in self.stock.archives.holding(file.digest)}
        for paths in ((file.keeper,), self.stock.sets.paths_of(file.digest)):
            for path in paths:
                if (
                    path
                    and path not in seen
                    and path not in packages
                    and not lies_in_a_fold(path)
                    and not lies_in_a_bin(path)
                ):
                    seen.add(path)
                    yield path

    def _source(self, file: RunFile, descriptor: int) -> Stands:
        """Look at what a file can be made again from, or is alike, outside every fold."""
        packages = [each for each in self.stock.archives.all() if each.made_at == file.keeper]
        is_kept = file.is_alike or file.has_essence
        what = "its keeper" if is_kept else "what it is made from"
        gone = NotSafe(f"{what} is gone: {visible(file.keeper)}; unfold it to keep it")
        if (
            packages and not is_kept
        ):  # it was left out of one; another that was made there since may lack what it is made from
            found = [self._package(each) for each in packages]
            if not all(package.is_whole and lies_below(file.path, package.archive.project) for package in found):
                raise gone
            return lambda: all(package.stands() for package in found)
        if lies_in_a_fold(file.keeper):
            raise gone
        try:
            witness = check_source(file.keeper, Stamp.of(os.fstat(descriptor)), file.source)
            self._keep_for_flush(witness)
            return self._looks_at(witness)
        except NotSafe as error:
            raise NotSafe(f"{error}; unfold it to keep it") from None

    def _package(self, archive: Archived) -> "_Package | RemotePackage":
        """Return a package as it was when all of it was read; it is read once for all that is released."""
        if archive.key not in self._packages:
            make = RemotePackage if is_remote(archive.package) else _Package
            self._packages[archive.key] = make(archive)
        return self._packages[archive.key]


def _check_content(descriptor: int, digest: bytes, size: int) -> None:
    os.lseek(descriptor, 0, os.SEEK_SET)
    if digest_of(descriptor, size) != (digest, size):
        raise NotSafe(NOT_WHAT_WAS_FOLDED)


def _always() -> bool:
    """Look at nothing: nothing has to vouch for the file."""
    return True


class _Package:
    """A package that was read and compared with its manifests, with the stamps of its files before that."""

    def __init__(self, archive: Archived) -> None:
        self.archive = archive
        self._stamps = _stamps_below(archive.package)
        # What it holds is what was read in it now: its listing says what it was made of.
        checked = check_package(archive.package, has_contents=True)
        found = checked.contents or {}
        self._payloads = {digest: os.path.join(archive.package, path) for digest, path in found.items()}
        self._looked = 0.0
        self.is_whole = checked.is_whole and checked.info.get(bagit.KEY_TAG) == archive.key and self.stands()

    def holds(self, digest: bytes) -> bool:
        """Tell whether a content is in it."""
        return digest in self._payloads

    def stands(self, digest: bytes = b"") -> bool:
        """Look whether the file with a content, or, without one, every file of it is as it was when it was read."""
        try:
            if digest and (path := self._payloads[digest]) in self._stamps:
                return Stamp.of(facts_at(path)) == self._stamps[path]
            if time.monotonic() - self._looked > _PACKAGE_SECONDS:
                if _stamps_below(self.archive.package) != self._stamps:
                    return False
                self._looked = time.monotonic()
        except OSError:
            return False
        return True


def _stamps_below(package: PathBytes) -> dict[PathBytes, Stamp]:
    """Return the stamps of a package's files, or of the one file that it is; of what is not there, none."""
    paths = [os.path.join(folder, name) for folder, names in walked(package) for name in names] or [package]
    found = {}
    for path in paths:
        try:
            found[path] = Stamp.of(facts_at(path))
        except OSError:
            continue
    return found
