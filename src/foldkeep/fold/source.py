"""Sources: what a derived file can be made again from, or one that is only alike has its likeness to.

It must be there, and what it was.
"""

import os
import stat

from foldkeep.model import PathBytes, visible
from foldkeep.model.grades import Grade
from foldkeep.model.runs import SourceFacts
from foldkeep.storage.local.reading import FILE, NotSafe, Stamp, digest_of, modified_ns, open_path

from .verify import Witness

_OF_KEEPERS = (Grade.ALIKE, Grade.DECODED, Grade.ESSENCE)


def check_source(path: PathBytes, made: Stamp, expected: SourceFacts | None) -> Witness:
    """Return the source of a file as witness, as it is now.

    Parameters
    ----------
    made
        The file itself.
    expected
        What the source was when it was found to be one; None where an earlier Fold Keep did not write that down. Its
        content is read where a digest is known.

    Raises
    ------
    NotSafe
        If it is gone, cannot be read, is empty, is that file itself, or is not what it was.
    """
    is_keeper = expected is not None and expected.grade in _OF_KEEPERS
    what = "its keeper" if is_keeper else "what it is made from"
    where = visible(path)
    try:
        descriptor = open_path(path, FILE)
    except OSError:
        raise NotSafe(f"{what} is gone or cannot be read: {where}") from None
    try:
        facts = os.fstat(descriptor)
        if not stat.S_ISREG(facts.st_mode) or not os.pread(descriptor, 1, 0):
            raise NotSafe(f"{what} is empty, or no file: {where}")
        if (facts.st_dev, facts.st_ino) == (made.identity.device, made.identity.inode):
            raise NotSafe(f"the same file as {what} (hard link): {where}")
        if expected is not None and not _is_same(descriptor, facts, expected):
            raise NotSafe(f"{what} is another file now: {where}")
        return Witness(path, Stamp.of(facts))
    except OSError:
        raise NotSafe(f"{what} is gone or cannot be read: {where}") from None
    finally:
        os.close(descriptor)


def _is_same(descriptor: int, facts: os.stat_result, expected: SourceFacts) -> bool:
    if facts.st_size != expected.size:
        return False
    if expected.digest or expected.grade in _OF_KEEPERS:
        return digest_of(descriptor, facts.st_size)[0] == expected.digest
    return modified_ns(facts) == expected.modified_ns
