"""Looking at files on a server, and reading them and what vouches for them, before anything is done to them."""

import os
import stat
from collections.abc import Iterable
from contextlib import suppress
from dataclasses import dataclass

from foldkeep.model import DocketRow, PathBytes, RunFile, visible
from foldkeep.model.remote import RemoteFile, is_remote
from foldkeep.model.units import format_moment
from foldkeep.model.work import reason_of
from foldkeep.storage.local.reading import NotSafe, Stamp, digest_of, opened
from foldkeep.storage.remote import RemoteStamp, read_remote, remote_storage, stated_by_server

from ..runs.plan import Item
from ..verify import BY_SERVER, Witness, hashed


@dataclass(frozen=True, slots=True)
class RemoteReady:
    """A file on a server that was looked at and may go.

    Attributes
    ----------
    file
        As it will be when that is done.
    """

    file: RunFile
    stamp: RemoteStamp
    witness: Witness | None = None


def look_at(item: Item, file: RunFile, *, trusts_server: bool = False) -> RemoteReady:
    """Look at a file that is to go, and read it and what vouches for it, whole and now.

    Parameters
    ----------
    trusts_server
        Take a strong digest that the server states now for the reading of what lies there.

    Raises
    ------
    NotSafe
        If it must stay where it is.
    OSError
        If it cannot be read.
    """
    storage = remote_storage(file.path)
    facts = storage.facts(file.path)
    _check_row(item.row, facts)
    if not item.is_read:
        return RemoteReady(file, RemoteStamp.of(facts or RemoteFile(b"")))
    if trusts_server and (found := _by_stated_digest(item, file)):
        return found
    digest, stamp = read_remote(file.path, storage=storage)
    if item.row.digest is not None and digest != item.row.digest:
        raise NotSafe("its content is not what the docket says; scan again")
    if not item.keepers:
        return RemoteReady(file._replace(digest=digest), stamp)
    witness = _witness(item, digest, stamp.size)
    return RemoteReady(file._replace(digest=digest, keeper=witness.path), stamp, witness)


def _check_row(row: DocketRow, facts: RemoteFile | None) -> None:
    """Raise NotSafe if what the server says of a file is not what its docket row says."""
    if facts is None:
        raise NotSafe("not there any more")
    if facts.is_folder:
        raise NotSafe("no longer a regular file")
    if not facts.is_mine:
        raise NotSafe("belongs to somebody else on the server")
    if facts.size != row.size:
        raise NotSafe(f"changed since the scan: {facts.size} bytes now, {row.size} then")
    if facts.modified_ns != row.modified_ns:
        raise NotSafe(f"changed since the scan: modified {format_moment(facts.modified_ns)}")


def _witness(item: Item, digest: bytes, size: int) -> Witness:
    """Read the copies that stay, the best first, until one has a content, and return that."""
    why = "no copy of it stays"
    for path in item.keepers:
        try:
            theirs, stamp = read_whole(path)
        except (NotSafe, OSError) as error:
            why = f"its keeper cannot be read: {visible(path)}: {reason_of(error)}"
            continue
        if theirs == digest and _size_of(stamp) == size:
            return Witness(path, stamp, digest)
        why = f"its keeper has another content now: {visible(path)}"
    raise NotSafe(why)


def _size_of(stamp: Stamp | RemoteStamp) -> int:
    return stamp.size if isinstance(stamp, RemoteStamp) else stamp.identity.size


def read_whole(path: PathBytes) -> tuple[bytes, Stamp | RemoteStamp]:
    """Read a file, here or on a server; return the digest of its content and what it is told by.

    Raises NotSafe if it is no regular file or changed while it was read, OSError if it cannot be read.
    """
    if is_remote(path):
        return read_remote(path)
    with opened(path) as descriptor:
        before = os.fstat(descriptor)
        if not stat.S_ISREG(before.st_mode):
            raise NotSafe(f"no regular file: {visible(path)}")
        digest, size = digest_of(descriptor, before.st_size)
        if size != before.st_size or Stamp.of(os.fstat(descriptor)) != Stamp.of(before):
            raise NotSafe(f"changed while it was read: {visible(path)}")
        return digest, Stamp.of(before)


def copy_with(digest: bytes, paths: Iterable[PathBytes]) -> Witness | None:
    """Read files until one has a content, and return that; what cannot be read is passed over."""
    for path in paths:
        with suppress(NotSafe, OSError):
            theirs, stamp = read_whole(path)
            if theirs == digest:
                return Witness(path, stamp, digest)
    return None


def _by_stated_digest(item: Item, file: RunFile) -> RemoteReady | None:
    """Return a file that is ready by what its server states of it then and there; None if it states nothing strong."""
    found = stated_by_server(file.path)
    if found is None:
        return None
    stated, stamp = found
    for path in item.keepers:
        try:
            theirs, their_stamp = _stated_or_read(path, stated.partition(":")[0])
        except OSError:
            continue
        if theirs == stated and _size_of(their_stamp) == stamp.size:
            witness = Witness(path, their_stamp, item.row.digest or b"")
            ready = file._replace(digest=item.row.digest or b"", keeper=path, reason=BY_SERVER)
            return RemoteReady(ready, stamp, witness)
    return None


def _stated_or_read(path: PathBytes, algorithm: str) -> tuple[str, Stamp | RemoteStamp]:
    """Return the digest of a keeper: as its server states it, or, here, by reading it."""
    if is_remote(path):
        found = stated_by_server(path)
        if found is None:
            raise FileNotFoundError(2, "its server states nothing of it")
        return found
    with opened(path) as descriptor:
        before = os.fstat(descriptor)
        digest = hashed(descriptor, algorithm)
        if Stamp.of(os.fstat(descriptor)) != Stamp.of(before):
            raise OSError(11, "changed while it was read")
        return digest, Stamp.of(before)
