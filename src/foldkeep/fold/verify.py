"""Reading two files side by side, to be sure that one can stand for the other."""

import os
import stat
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass

from blake3 import blake3

from foldkeep.model import DocketRow, format_moment, visible
from foldkeep.scan import FILE, digest_of, facts_at, open_path

from .identity import Identity, NotSafe, Stamp

_BUFFER = 512 * 1024  # as much as stays in a processor's own cache until it is compared and hashed


@dataclass(frozen=True, slots=True)
class Verified:
    """A spare as it was when it was read, and the keeper that it was equal to, byte for byte.

    Without a keeper (`keeper` is None) nothing vouches for it: the user wants it so, or it is only moved.
    """

    spare: Identity
    keeper_path: bytes
    keeper: Stamp | None
    digest: bytes


NOTHING = Verified(Identity(0, 0, 0, 0), b"", None, b"")
"""Of what is not there yet."""


class Keepers:
    """Keepers that were compared, and what our own links to them did to their stamps."""

    def __init__(self) -> None:
        self._linked: dict[Identity, Stamp] = {}

    def stands(self, verified: Verified) -> bool:
        """Tell whether the keeper is still the file that was compared, at its place."""
        if verified.keeper is None:
            return True
        try:
            return self._is_same(verified.keeper, facts_at(verified.keeper_path))
        except OSError:
            return False

    @contextmanager
    def linking(self, verified: Verified) -> Iterator[os.stat_result]:
        """Do something to a hard link of the keeper: that changes its stamp, and is no change by somebody else.

        The block is given what the system says of the keeper. Raises NotSafe if somebody changed it before.
        """
        try:
            keeper = open_path(verified.keeper_path, FILE)
        except OSError:
            raise NotSafe("its keeper changed or went away") from None
        try:
            before = os.fstat(keeper)
            if verified.keeper is None or not self._is_same(verified.keeper, before):
                raise NotSafe("its keeper changed or went away")
            yield before
            after = Stamp.of(os.fstat(keeper))
            if after.identity == verified.keeper.identity:
                self._linked[after.identity] = after
        finally:
            os.close(keeper)

    def _is_same(self, stamp: Stamp, facts: os.stat_result) -> bool:
        return Stamp.of(facts) in (stamp, self._linked.get(stamp.identity))


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
    descriptor, spare = _open_spare(row, folder, name)
    try:
        why = "no copy of it stays"
        for path in keepers:
            try:
                keeper, digest = _compare(descriptor, spare, path, comparison)
            except NotSafe as refusal:
                why = str(refusal)
                continue
            _check_digest(row, digest)
            break
        else:
            if keepers:
                raise NotSafe(why)
            path, keeper, digest = b"", None, digest_of(descriptor, spare.size)[0]
            _check_digest(row, digest)
        if Identity.of(os.fstat(descriptor)) != spare:
            raise NotSafe("changed while it was compared")
        return Verified(spare, path, keeper, digest)
    finally:
        os.close(descriptor)


def look_at(row: DocketRow, folder: int, name: bytes) -> Verified:
    """Look whether a file is the one that is meant, without reading it: nothing vouches for it."""
    descriptor, spare = _open_spare(row, folder, name)
    os.close(descriptor)
    return Verified(spare, b"", None, b"")


def check_source(path: bytes, made: Identity) -> None:
    """Raise NotSafe unless what a file can be made again from is there, readable, and not that file itself."""
    try:
        descriptor = open_path(path, FILE)
    except OSError:
        raise NotSafe(f"what it is made from is gone or cannot be read: {visible(path)}") from None
    try:
        facts = os.fstat(descriptor)
        if not stat.S_ISREG(facts.st_mode) or not os.pread(descriptor, 1, 0):
            raise NotSafe(f"what it is made from is empty, or no file: {visible(path)}")
        if (facts.st_dev, facts.st_ino) == (made.device, made.inode):
            raise NotSafe(f"the same file as what it is made from (hard link): {visible(path)}")
    except OSError:
        raise NotSafe(f"what it is made from is gone or cannot be read: {visible(path)}") from None
    finally:
        os.close(descriptor)


def _open_spare(row: DocketRow, folder: int, name: bytes) -> tuple[int, Identity]:
    try:
        descriptor = os.open(name, FILE, dir_fd=folder)
    except FileNotFoundError:
        raise NotSafe("not there any more") from None
    try:
        facts = os.fstat(descriptor)
        _check_row(row, facts)
    except NotSafe:
        os.close(descriptor)
        raise
    return descriptor, Identity.of(facts)


def _check_digest(row: DocketRow, digest: bytes) -> None:
    if row.digest is not None and digest != row.digest:
        raise NotSafe("its content is not what the docket says; scan again")


def _check_row(row: DocketRow, facts: os.stat_result) -> None:
    if not stat.S_ISREG(facts.st_mode):
        raise NotSafe("no longer a regular file")
    if facts.st_size != row.size:
        raise NotSafe(f"changed since the scan: {facts.st_size} bytes now, {row.size} then")
    if facts.st_mtime_ns != row.modified_ns:
        raise NotSafe(f"changed since the scan: modified {format_moment(facts.st_mtime_ns)}")


def _compare(spare_descriptor: int, spare: Identity, path: bytes, comparison: "Comparison") -> tuple[Stamp, bytes]:
    """Return the stamp of the keeper at `path` and the digest of the content that both have."""
    try:
        descriptor = open_path(path, FILE)
    except OSError:
        raise NotSafe(f"its keeper cannot be read: {visible(path)}") from None
    try:
        facts = os.fstat(descriptor)
        keeper = Stamp.of(facts)
        if not stat.S_ISREG(facts.st_mode):
            raise NotSafe(f"its keeper is no regular file: {visible(path)}")
        if (facts.st_dev, facts.st_ino) == (spare.device, spare.inode):
            raise NotSafe(f"the same file as its keeper (hard link): {visible(path)}")
        digest = None
        if facts.st_size == spare.size:
            digest = comparison.digest_if_equal(spare_descriptor, descriptor, spare.size)
        if digest is None:
            raise NotSafe(f"its keeper has another content now: {visible(path)}")
        if Stamp.of(os.fstat(descriptor)) != keeper:
            raise NotSafe(f"its keeper changed while it was compared: {visible(path)}")
        return keeper, digest
    except OSError:
        raise NotSafe(f"its keeper cannot be read: {visible(path)}") from None
    finally:
        os.close(descriptor)


class Comparison:
    """Compares open files byte by byte.

    Its buffers serve every file: memory that is new to a process comes from the system page by page, which
    takes longer than reading a small file into it.

    Parameters
    ----------
    told
        Is told after every part of a comparison how many bytes it has got to.
    """

    def __init__(self, told: Callable[[int], None]) -> None:
        self._told = told
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
