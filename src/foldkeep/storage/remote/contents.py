"""Contents on servers, read whole, and looked at once more."""

from collections.abc import Callable
from typing import IO, NamedTuple

from blake3 import blake3

from foldkeep.model import PathBytes
from foldkeep.model.remote import RemoteFile

from .connecting import remote_storage
from .errors import NotTheFile
from .protocol import RemoteStorage


class RemoteStamp(NamedTuple):
    """What a file on a server is told by: its strong entity tag, or, without one, size and time, which prove little."""

    size: int
    modified_ns: int
    etag: str = ""

    @classmethod
    def of(cls, file: RemoteFile) -> "RemoteStamp":
        """Return the stamp of a file as its server tells of it."""
        return cls(file.size, file.modified_ns, file.etag)

    def is_of(self, file: RemoteFile | None) -> bool:
        """Tell whether what a server tells of is, as far as that shows, what had this stamp."""
        return file is not None and not file.is_folder and self.may_be(RemoteStamp.of(file))

    def may_be(self, now: "RemoteStamp") -> bool:
        """Tell whether a later stamp is, as far as stamps show, of the same file.

        A server may give a strong entity tag only some seconds after a file was written (RFC 9110, 8.8.1): that one
        comes to have a tag is no change. Who relies on a stamp without one reads the content again.
        """
        return self == (now if self.etag else now._replace(etag=""))


def read_remote(
    path: PathBytes,
    told: Callable[[int], None] = lambda _: None,
    storage: RemoteStorage | None = None,
    kept: IO[bytes] | None = None,
) -> tuple[bytes, RemoteStamp]:
    """Read a whole file on a server and return the digest of its content, and its stamp; `kept` gets the content.

    Raises
    ------
    OSError
        FileNotFoundError if it is not there; NotTheFile if it is no file, or changed while it was read.
    """
    storage = storage or remote_storage(path)
    facts = storage.facts(path)
    if facts is None:
        raise FileNotFoundError(2, "not there any more")
    if facts.is_folder:
        raise NotTheFile("no longer a file")
    hasher, count = blake3(), 0
    for part in storage.parts(path, facts.etag):
        hasher.update(part)
        if kept is not None:
            kept.write(part)
        count += len(part)
        told(count)
    stamp = RemoteStamp.of(facts)
    # Where no entity tag held the parts together, a change in between must show in size or time at least.
    if count != facts.size or (not facts.etag and not stamp.is_of(storage.facts(path))):
        raise NotTheFile
    return hasher.digest(), stamp


def stated_by_server(path: PathBytes) -> tuple[str, RemoteStamp] | None:
    """Return the digest of a whole content that the server states now, as ``sha-256:<hex>``, and the file's stamp.

    None if it states none, or gives the file no strong entity tag, by which both could be held together.
    """
    storage = remote_storage(path)
    facts = storage.facts(path)
    if facts is None or facts.is_folder or not facts.etag or not facts.size:
        return None
    stated = storage.part(path, 0, 1, facts.etag).stated
    return (stated, RemoteStamp.of(facts)) if stated else None


def remote_stands(path: PathBytes, stamp: RemoteStamp, digest: bytes = b"") -> bool:
    """Look whether a file on a server is still what was read.

    A strong entity tag tells. Without one, the content does, if its `digest` is given: it is read anew.
    """
    try:
        if not stamp.is_of(remote_storage(path).facts(path)):
            return False
        return bool(stamp.etag) or not digest or read_remote(path)[0] == digest
    except OSError:
        return False
