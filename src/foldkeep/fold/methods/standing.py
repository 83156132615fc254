"""The copy elsewhere that stands for one that is taken away: found, read, and proved to be another file, now."""

import os
from contextlib import suppress

from foldkeep.model import PathBytes, RunFile
from foldkeep.model.names import folders_above, lies_below, lies_in_a_fold
from foldkeep.scan.bins import lies_in_a_bin
from foldkeep.storage.local.changes import flush
from foldkeep.storage.local.reading import Stamp, digest_in, digest_of, has_digest, is_regular, may_have_one, opened

from ..bench import Bench, Spot
from ..removing.disk import remove, seen_now
from ..verify import Witness


def standing_copy(bench: Bench, file: RunFile, digest: bytes, goes: Stamp) -> Witness | None:
    """Return a file outside every fold that has a content, read now, and is another file than the one that goes.

    Raises OSError if there is none, but one of those that may have it cannot be read: it is not gone.
    """
    unknown: OSError | None = None
    for path in bench.having(file, None):
        if (
            path in (file.path, file.target)
            or lies_in_a_fold(path)
            or lies_in_a_bin(path)
            or _is_another_view(bench, path)
        ):
            continue
        try:
            if stamp := _stamp_of_copy(path, digest, goes):
                return Witness(path, stamp)
        except (FileNotFoundError, NotADirectoryError):
            continue
        except OSError as error:
            unknown = error
    if unknown:
        raise unknown
    return None


def _stamp_of_copy(path: PathBytes, digest: bytes, goes: Stamp) -> Stamp | None:
    with opened(path) as descriptor:
        facts = os.fstat(descriptor)
        stamp = Stamp.of(facts)
        if not is_regular(facts) or facts.st_size != goes.identity.size or may_have_one(stamp, goes):
            return None
        with suppress(OSError):  # it may just have been written; what cannot be flushed is on the disk, or nowhere
            flush(descriptor)
        same = digest_of(descriptor, facts.st_size) == (digest, facts.st_size)
        return stamp if same and Stamp.of(os.fstat(descriptor)) == stamp else None


def remove_standing(bench: Bench, file: RunFile, spot: Spot, digest: bytes) -> bool:
    """Delete a file that we made, if it is as we made it and a copy stands elsewhere; tell whether that was so.

    Raises NotSafe or OSError if one of them changed meanwhile; the file is where it was then.
    """
    seen = seen_now(*spot)
    if seen is None or digest_in(*spot) != digest:
        return False
    witness = standing_copy(bench, file, digest, seen)
    if witness is None:
        return False
    remove(*spot, seen, bench.stamps, lambda: witness.stands(bench.stamps))
    return True


def _is_another_view(bench: Bench, path: PathBytes) -> bool:
    """Tell whether the fold of this run is seen from where a file lies: it may be the one that goes, then."""
    if lies_below(path, bench.vault.place):
        return False
    return any(bench.vault.is_seen_from(above, ()) for above in folders_above(path))


def is_last(bench: Bench, file: RunFile, spot: Spot, digest: bytes) -> bool:
    """Tell whether what we made has a content, whole, that no other file outside the folds has now."""
    seen = seen_now(*spot)
    if seen is None or not digest or not has_digest(*spot, digest):
        return False
    return standing_copy(bench, file, digest, seen) is None
