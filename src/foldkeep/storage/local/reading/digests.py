"""Reading contents into BLAKE3 digests."""

import errno
import os
import stat
from collections.abc import Callable

from blake3 import blake3

from .opening import FILE, facts_of

READ_BUFFER = 512 * 1024
"""Bytes read at a time: as much as stays in a processor's own cache until it is hashed."""


def digest_of(
    descriptor: int, size: int, told: Callable[[int], None] | None = None, also: blake3 | None = None
) -> tuple[bytes, int]:
    """Return the BLAKE3 digest of an open file from where it stands, and how many bytes that were.

    Reading stops after `size` bytes and one more, so that a file that grows without end does end here.

    Parameters
    ----------
    told
        Is told of each part how many bytes it had.
    also
        A hasher with a key that is to have what is read too.
    """
    hasher = blake3()
    buffer = memoryview(bytearray(min(READ_BUFFER, size + 1)))
    count = 0
    while count <= size and (got := os.readv(descriptor, [buffer])):
        hasher.update(buffer[:got])
        if also is not None:
            also.update(buffer[:got])
        count += got
        if told is not None:
            told(got)
    return hasher.digest(), count


def digest_in(folder: int, name: bytes) -> bytes | None:
    """Return the digest of a regular file in an open folder; None if there is none of that name.

    Raises OSError if it cannot be read: then nothing is known of its content.
    """
    try:
        descriptor = os.open(name, FILE, dir_fd=folder)
    except OSError as error:
        if error.errno in (errno.ENOENT, errno.ELOOP, errno.ENXIO):
            return None
        raise
    try:
        facts = os.fstat(descriptor)
        return digest_of(descriptor, facts.st_size)[0] if stat.S_ISREG(facts.st_mode) else None
    finally:
        os.close(descriptor)


def same_content(folder: int, name: bytes, other_folder: int, other_name: bytes) -> bool:
    """Tell whether two names in open folders are regular files with the same bytes; OSError if one cannot be read."""
    facts, other_facts = facts_of(folder, name), facts_of(other_folder, other_name)
    if facts is None or other_facts is None or facts.st_size != other_facts.st_size:
        return False
    digest = digest_in(folder, name)
    return digest is not None and has_digest(other_folder, other_name, digest)


def has_digest(folder: int, name: bytes, digest: bytes) -> bool:
    """Tell whether a name in an open folder is a file with this content; OSError if it cannot be read."""
    return digest_in(folder, name) == digest
