"""Sources: what a derived file can be made again from, which must be there and what it was."""

import os
import stat

from foldkeep.model import PathBytes, visible
from foldkeep.model.runs import SourceFacts
from foldkeep.storage.local.reading import FILE, NotSafe, Stamp, digest_of, modified_ns, open_path

from .verify import Witness


def check_source(path: PathBytes, made: Stamp, expected: SourceFacts | None) -> Witness:
    """Return the source of a derived file as witness, as it is now.

    Parameters
    ----------
    made
        The derived file itself.
    expected
        What the source was when it was found to be one; None where an earlier Fold Keep did not write that down. Its
        content is read where a digest is known.

    Raises
    ------
    NotSafe
        If it is gone, cannot be read, is empty, is that file itself, or is not what it was.
    """
    where = visible(path)
    try:
        descriptor = open_path(path, FILE)
    except OSError:
        raise NotSafe(f"what it is made from is gone or cannot be read: {where}") from None
    try:
        facts = os.fstat(descriptor)
        if not stat.S_ISREG(facts.st_mode) or not os.pread(descriptor, 1, 0):
            raise NotSafe(f"what it is made from is empty, or no file: {where}")
        if (facts.st_dev, facts.st_ino) == (made.identity.device, made.identity.inode):
            raise NotSafe(f"the same file as what it is made from (hard link): {where}")
        if expected is not None:
            _check_same(descriptor, facts, expected, where)
        return Witness(path, Stamp.of(facts))
    except OSError:
        raise NotSafe(f"what it is made from is gone or cannot be read: {where}") from None
    finally:
        os.close(descriptor)


def _check_same(descriptor: int, facts: os.stat_result, expected: SourceFacts, where: str) -> None:
    is_same = facts.st_size == expected.size
    if is_same and expected.digest:
        is_same = digest_of(descriptor, facts.st_size)[0] == expected.digest
    elif is_same:
        is_same = modified_ns(facts) == expected.modified_ns
    if not is_same:
        raise NotSafe(f"what it is made from is another file now: {where}")
