"""Reading two files side by side, to be sure that one can stand for the other."""

import os
import stat
from dataclasses import dataclass

from blake3 import blake3

from foldkeep.model import DocketRow, format_moment, visible
from foldkeep.scan import FILE, open_path

_BUFFER = 1024 * 1024


class NotSafe(Exception):
    """A file must not be folded; the words say why."""


@dataclass(frozen=True, slots=True)
class Identity:
    """What must not change between the look at a file and the change to it."""

    device: int
    inode: int
    size: int
    modified_ns: int

    @classmethod
    def of(cls, facts: os.stat_result) -> "Identity":
        """Return the identity in what the system says of a file."""
        return cls(facts.st_dev, facts.st_ino, facts.st_size, facts.st_mtime_ns)


@dataclass(frozen=True, slots=True)
class Stamp:
    """An identity and the time of last status change, which no program can set.

    A file that is replaced may get the inode of the one before it, the same size and the same modification
    time, but not the same change time. Moving one hard link of a file changes that of all of them, so it is
    asked of keepers only: of these nothing may move.
    """

    identity: Identity
    changed_ns: int

    @classmethod
    def of(cls, facts: os.stat_result) -> "Stamp":
        """Return the stamp in what the system says of a file."""
        return cls(Identity.of(facts), facts.st_ctime_ns)


@dataclass(frozen=True, slots=True)
class Verified:
    """A spare that was equal to its keeper, byte for byte, when it was read."""

    spare: Identity
    keeper_path: bytes
    keeper: Stamp
    digest: bytes


def verify(row: DocketRow, folder: int, name: bytes, keepers: list[bytes]) -> Verified:
    """Read the spare of a docket row and a keeper, whole and now, and compare every byte.

    Parameters
    ----------
    folder, name
        The open folder that the spare lies in, and its name there.
    keepers
        Copies that stay; the first that is there and is another file is compared.

    Raises
    ------
    NotSafe
        If the spare is not the file that the docket means, or no keeper equals it.
    OSError
        If the spare cannot be read.
    """
    try:
        descriptor = os.open(name, FILE, dir_fd=folder)
    except FileNotFoundError:
        raise NotSafe("not there any more") from None
    try:
        facts = os.fstat(descriptor)
        _check_row(row, facts)
        spare = Identity.of(facts)
        why = "no copy of it stays"
        for path in keepers:
            try:
                keeper, digest = _compare(descriptor, spare, path)
            except NotSafe as refusal:
                why = str(refusal)
                continue
            if row.digest is not None and digest != row.digest:
                raise NotSafe("its content is not what the docket says; scan again")
            if Identity.of(os.fstat(descriptor)) != spare:
                raise NotSafe("changed while it was compared")
            return Verified(spare, path, keeper, digest)
        raise NotSafe(why)
    finally:
        os.close(descriptor)


def keeper_stands(verified: Verified) -> bool:
    """Tell whether the keeper is still the file that was compared, at its place."""
    try:
        descriptor = open_path(verified.keeper_path, FILE)
    except OSError:
        return False
    try:
        return Stamp.of(os.fstat(descriptor)) == verified.keeper
    finally:
        os.close(descriptor)


def _check_row(row: DocketRow, facts: os.stat_result) -> None:
    if not stat.S_ISREG(facts.st_mode):
        raise NotSafe("no longer a regular file")
    if facts.st_size != row.size:
        raise NotSafe(f"changed since the scan: {facts.st_size} bytes now, {row.size} then")
    if facts.st_mtime_ns != row.modified_ns:
        raise NotSafe(f"changed since the scan: modified {format_moment(facts.st_mtime_ns)}")


def _compare(spare_descriptor: int, spare: Identity, path: bytes) -> tuple[Stamp, bytes]:
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
        digest = _digest_if_equal(spare_descriptor, descriptor, spare.size)
        if digest is None:
            raise NotSafe(f"its keeper has another content now: {visible(path)}")
        if Stamp.of(os.fstat(descriptor)) != keeper:
            raise NotSafe(f"its keeper changed while it was compared: {visible(path)}")
        return keeper, digest
    except OSError:
        raise NotSafe(f"its keeper cannot be read: {visible(path)}") from None
    finally:
        os.close(descriptor)


def _digest_if_equal(one: int, other: int, size: int) -> bytes | None:
    """Return the digest of two open files of `size` bytes if they are equal, else None."""
    hasher = blake3()
    first, second = bytearray(min(_BUFFER, size + 1)), bytearray(min(_BUFFER, size + 1))
    at = 0
    while True:
        got, got_other = os.preadv(one, [first], at), os.preadv(other, [second], at)
        # A short read by one of them is not a difference; the rest comes with the next round.
        common = min(got, got_other)
        if common == 0:
            return hasher.digest() if got == got_other and at == size else None
        part = memoryview(first)[:common]
        if part != memoryview(second)[:common]:
            return None
        hasher.update(part)
        at += common
