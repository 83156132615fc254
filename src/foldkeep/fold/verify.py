"""Reading two files side by side, to be sure that one can stand for the other."""

import hashlib
import os
import stat
from collections.abc import Callable
from dataclasses import dataclass

from blake3 import blake3

from foldkeep.model import DocketRow, PathBytes, visible
from foldkeep.model.remote import is_remote
from foldkeep.model.units import format_moment, is_clock_change
from foldkeep.model.work import reason_of
from foldkeep.storage.local.reading import (
    FILE,
    Identity,
    NotSafe,
    Stamp,
    Stamps,
    digest_of,
    may_be_one,
    modified_ns,
    open_in,
    open_path,
)
from foldkeep.storage.remote import RemoteStamp, read_remote, remote_stands, stated_by_server

BY_SERVER = "by the digest that the server stated, not by reading there"
_BUFFER = 512 * 1024  # as much as stays in a processor's own cache until it is compared and hashed


@dataclass(frozen=True, slots=True)
class Witness:
    """The file that stays and vouches for one that goes, as it was when it was read."""

    path: PathBytes
    stamp: Stamp | RemoteStamp
    digest: bytes = b""
    is_stated: bool = False
    """Whether its content was not read, but a strong digest of it taken from what its server states."""

    def stands(self, stamps: Stamps) -> bool:
        """Look whether it is still what it was when it was read; on a server without entity tags, read it."""
        if isinstance(self.stamp, RemoteStamp):
            return remote_stands(self.path, self.stamp, self.digest)
        return stamps.stands(self.path, self.stamp)

    @property
    def identity(self) -> Identity:
        """What the system tells it by; of a file on this machine only."""
        if isinstance(self.stamp, RemoteStamp):
            raise NotSafe(f"lies on a server: {visible(self.path)}")
        return self.stamp.identity

    @property
    def device(self) -> int | None:
        """The device that it lies on; None on a server."""
        return None if isinstance(self.stamp, RemoteStamp) else self.stamp.identity.device


@dataclass(frozen=True, slots=True)
class Verified:
    """A file that may go, as it was when it was looked at.

    Attributes
    ----------
    witness
        What vouches for it; None if the user wants it so, or the file is only moved.
    digest
        Of its content; empty where that was not read.
    """

    spare: Stamp
    witness: Witness | None = None
    digest: bytes = b""


NOTHING = Verified(Stamp(Identity(0, 0, 0, 0), 0))
"""Of what is not there yet."""


_CHANGED = "its content is not what the docket says; scan again"


class OtherContent(NotSafe):
    """A file and its keeper are not equal."""

    def __init__(self, path: PathBytes) -> None:
        self.path = path
        super().__init__(f"its keeper has another content now: {visible(path)}")


def verify(row: DocketRow, folder: int, name: bytes, keepers: list[bytes], comparison: "Comparison") -> Verified:
    """Read the spare of a docket row and a keeper, whole and now, and compare every byte.

    Parameters
    ----------
    folder, name
        The open folder that the spare lies in, and its name there.
    keepers
        Copies that stay; the first that is there and is another file is compared. Without any, the spare
        alone is read.
    Raises
    ------
    NotSafe
        If the spare is not the file that the docket means, or no keeper equals it.
    OSError
        If the spare cannot be read.
    """
    descriptor, facts = _open_spare(row, folder, name)
    try:
        why = NotSafe("no copy of it stays")
        witness = None
        for path in keepers:
            try:
                witness, digest = compared(descriptor, facts, path, comparison)
            except NotSafe as refusal:
                why = refusal
                continue
            break
        else:
            if keepers:
                raise _which_changed(row, descriptor, facts.st_size, why) if isinstance(why, OtherContent) else why
            digest = digest_of(descriptor, facts.st_size)[0]
        if row.digest is not None and digest != row.digest:
            raise NotSafe(_CHANGED)
        if Stamp.of(os.fstat(descriptor)) != Stamp.of(facts):
            raise NotSafe("changed while it was compared")
        return Verified(Stamp.of(facts), witness, digest)
    finally:
        os.close(descriptor)


def _which_changed(row: DocketRow, descriptor: int, size: int, keeper: OtherContent) -> NotSafe:
    """Return which of two files that were equal changed, as far as a docket row with a digest tells."""
    if row.digest is None:
        return NotSafe(f"it and its keeper differ now: {visible(keeper.path)}; scan again")
    os.lseek(descriptor, 0, os.SEEK_SET)
    return keeper if digest_of(descriptor, size)[0] == row.digest else NotSafe(_CHANGED)


def look_at(row: DocketRow, folder: int, name: bytes) -> Verified:
    """Look whether a file is the one that is meant, without reading it: nothing vouches for it."""
    descriptor, facts = _open_spare(row, folder, name)
    os.close(descriptor)
    return Verified(Stamp.of(facts))


def _open_spare(row: DocketRow, folder: int, name: bytes) -> tuple[int, os.stat_result]:
    try:
        descriptor = open_in(folder, name)
    except FileNotFoundError:
        raise NotSafe("not there any more") from None
    try:
        facts = os.fstat(descriptor)
        check_row(row, facts)
    except NotSafe:
        os.close(descriptor)
        raise
    return descriptor, facts


def check_row(row: DocketRow, facts: os.stat_result) -> None:
    """Raise NotSafe if what the system says of a file is not what its docket row says."""
    if not stat.S_ISREG(facts.st_mode):
        raise NotSafe("no longer a regular file")
    if facts.st_size != row.size:
        raise NotSafe(f"changed since the scan: {facts.st_size} bytes now, {row.size} then")
    # Where the content is known, a clock that was changed tells nothing: it is read whole, and decides.
    shift = modified_ns(facts) - row.modified_ns
    if shift and not (row.digest is not None and is_clock_change(shift)):
        raise NotSafe(f"changed since the scan: modified {format_moment(modified_ns(facts))}")


def compared(
    descriptor: int, facts: os.stat_result, path: PathBytes, comparison: "Comparison"
) -> tuple[Witness, bytes]:
    """Compare an open file with the one at a path, byte for byte; return that as witness, and the digest of both.

    Raises NotSafe if they differ, or are, or may be, one file.
    """
    if is_remote(path):
        found = _compared_by_word(descriptor, facts, path) if comparison.trusts_server else None
        return found or _compared_afar(descriptor, facts, path)
    try:
        other = open_path(path, FILE)
    except OSError:
        raise NotSafe(f"its keeper cannot be read: {visible(path)}") from None
    try:
        keeper = os.fstat(other)
        if not stat.S_ISREG(keeper.st_mode):
            raise NotSafe(f"its keeper is no regular file: {visible(path)}")
        if os.path.samestat(keeper, facts):
            raise NotSafe(f"the same file as its keeper (hard link): {visible(path)}")
        if may_be_one(keeper, facts):
            raise NotSafe(f"the same file as its keeper, seen through another mount: {visible(path)}")
        digest = None
        if keeper.st_size == facts.st_size:
            digest = comparison.digest_if_equal(descriptor, other, facts.st_size)
        if digest is None:
            raise OtherContent(path)
        if Stamp.of(os.fstat(other)) != Stamp.of(keeper):
            raise NotSafe(f"its keeper changed while it was compared: {visible(path)}")
        return Witness(path, Stamp.of(keeper), digest), digest
    except OSError:
        raise NotSafe(f"its keeper cannot be read: {visible(path)}") from None
    finally:
        os.close(other)


def _compared_afar(descriptor: int, facts: os.stat_result, path: PathBytes) -> tuple[Witness, bytes]:
    """Compare an open file with one on a server: both are read whole, now."""
    try:
        theirs, stamp = read_remote(path)
    except OSError as error:
        raise NotSafe(f"its keeper cannot be read: {visible(path)}: {reason_of(error)}") from None
    os.lseek(descriptor, 0, os.SEEK_SET)
    digest, size = digest_of(descriptor, facts.st_size)
    if size != stamp.size or digest != theirs:
        raise OtherContent(path)
    return Witness(path, stamp, theirs), digest


def _compared_by_word(descriptor: int, facts: os.stat_result, path: PathBytes) -> tuple[Witness, bytes] | None:
    """Compare an open file with what a server states now of one there; None if that is not equal, or states nothing."""
    try:
        found = stated_by_server(path)
    except OSError:
        return None
    if found is None or found[1].size != facts.st_size or hashed(descriptor, found[0].partition(":")[0]) != found[0]:
        return None
    os.lseek(descriptor, 0, os.SEEK_SET)
    digest = digest_of(descriptor, facts.st_size)[0]
    return Witness(path, found[1], digest, is_stated=True), digest


def hashed(descriptor: int, algorithm: str) -> str:
    """Return the digest of an open file as a server would state it, by ``sha-256`` or ``sha-512``."""
    os.lseek(descriptor, 0, os.SEEK_SET)
    with open(descriptor, "rb", closefd=False) as file:
        return f"{algorithm}:{hashlib.file_digest(file, algorithm.replace('-', '')).hexdigest()}"


class Comparison:
    """Compares open files byte by byte.

    Its buffers serve every file: memory that is new to a process comes from the system page by page, which
    takes longer than reading a small file into it.

    Parameters
    ----------
    told
        Is told after every part of a comparison how many bytes it has got to.
    trusts_server
        Take a strong digest that a server states then and there for the reading of what lies there.
    """

    def __init__(self, told: Callable[[int], None] = lambda _: None, *, trusts_server: bool = False) -> None:
        self._told = told
        self.trusts_server = trusts_server
        self._first, self._second = bytearray(_BUFFER), bytearray(_BUFFER)
        self._view, self._other_view = memoryview(self._first), memoryview(self._second)

    def digest_if_equal(self, one: int, other: int, size: int) -> bytes | None:
        """Return the digest of two open files of `size` bytes if they are equal, else None.

        Whether a file is longer than that, the caller sees by its size afterwards.
        """
        hasher = blake3()
        at = 0
        while at < size:
            most = min(_BUFFER, size - at)
            got, got_other = os.preadv(one, [self._view[:most]], at), os.preadv(other, [self._other_view[:most]], at)
            # A short read by one of them is not a difference; the rest comes with the next round.
            common = min(got, got_other)
            # startswith compares without copying, which slices would, and views compare a byte at a time.
            if common == 0 or not self._first.startswith(self._other_view[:common]):
                return None
            hasher.update(self._view[:common])
            at += common
            self._told(at)
        return hasher.digest()
