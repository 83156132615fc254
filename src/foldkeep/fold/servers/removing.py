"""The one way in which a content is deleted on a server: read, vouched for, and vouched for once more after."""

from dataclasses import dataclass
from functools import partial
from typing import IO

from foldkeep.model import PathBytes
from foldkeep.storage.local.reading import NotSafe, Stamps
from foldkeep.storage.remote import NotTheFile, RemoteStamp, RemoteStorage, read_remote

from ..removing import GONE
from ..verify import Witness

_PIECE = 256 * 1024


@dataclass(frozen=True, slots=True)
class Vouched:
    """A file on a server that was read whole, and what vouches for it.

    Attributes
    ----------
    witness
        None where the user says that nothing has to.
    content
        What was read, kept until it is sure that the witness outlived it.
    """

    path: PathBytes
    stamp: RemoteStamp
    digest: bytes
    witness: Witness | None
    content: IO[bytes]


def remove_vouched(storage: RemoteStorage, each: Vouched, stamps: Stamps) -> None:
    """Delete a file for good, if it is still what was read and its witness stands.

    An answer that was lost is looked into. Without an entity tag it is read once more right before. Where the witness
    went away meanwhile, the content is written back, so that it is never gone from both.

    Raises
    ------
    NotSafe
        If it must stay, or had to be written back.
    OSError
        What the server says; NotTheFile if it is not what was read.
    """
    if each.witness is not None and not each.witness.stands(stamps):
        raise NotSafe(GONE)
    if not each.stamp.etag and read_remote(each.path, storage=storage) != (each.digest, each.stamp):
        raise NotTheFile
    try:
        storage.remove(each.path, each.stamp.etag)
    except OSError:
        if storage.facts(each.path) is not None:
            raise
    if each.witness is not None and not each.witness.stands(stamps):
        each.content.seek(0)
        storage.write_new(each.path, iter(partial(each.content.read, _PIECE), b""), each.stamp.size)
        raise NotSafe(GONE)
