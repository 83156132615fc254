"""Words that would be gone: what is written in a file that goes for one alike, and in nothing that stays with that."""

import os
from collections.abc import Iterator
from contextlib import suppress
from typing import NamedTuple

from foldkeep.formats.sidecars import LARGEST_SIDECAR, Xmp, parse_xmp, said, united
from foldkeep.model import PathBytes, RunFile, visible
from foldkeep.model.companions import belongs_to
from foldkeep.model.extras import MissingExtra, need
from foldkeep.model.kinds import kind_of, suffix_of
from foldkeep.signals import MediaReader, Medium
from foldkeep.storage.local.reading import FILE, NotSafe, Stamp, facts_at, modified_ns, open_path

from ..verify import Witness


class Remaining(NamedTuple):
    """Texts of a file that nothing which stays says, and the sidecars that say the others."""

    lost: tuple[str, ...]
    witnesses: tuple[Witness, ...]


def words_remaining(reader: MediaReader, file: RunFile, path: PathBytes) -> Remaining:
    """Compare what is written in a file that waits at `path` with what its keeper and the sidecars of that say now.

    Both contents have been read in this run, and are what the ledger says.

    Raises
    ------
    NotSafe
        If what one of them says cannot be read.
    """
    if file.source is None:
        return Remaining((), ())
    goes = _embedded(reader, path, kind_of(file.path), file.size, file.content)
    if not goes.facts:
        return Remaining((), ())
    stays = _embedded(reader, file.keeper, kind_of(file.keeper), file.source.size, file.source.digest)
    sidecars = list(_sidecars(file.keeper))
    stays, _ = united(stays, [(witness.path, words) for witness, words in sidecars])
    both, differences = united(stays, [(file.path, goes)])
    lost = [("keyword", word) for word in both.keywords if word not in stays.keywords]
    lost += [
        (what, said(getattr(both, what)))
        for what in ("rating", "title", "description")
        if getattr(both, what) != getattr(stays, what)
    ]
    lost += [(each.what, each.other) for each in differences]
    return Remaining(tuple(f"{what} “{text}”" for what, text in lost), tuple(witness for witness, _ in sidecars))


def words_in(reader: MediaReader, file: Medium) -> tuple[Xmp, str | None]:
    """Return what is written in a media file, and why it cannot be read, if so. Raises MissingExtra."""
    need("media")
    facts = reader.facts(file)
    return Xmp(facts.keywords, facts.rating, facts.title, facts.description), facts.problem


def _embedded(reader: MediaReader, path: PathBytes, kind: str, size: int, digest: bytes) -> Xmp:
    try:
        words, problem = words_in(reader, Medium(path, kind, size, modified_ns(facts_at(path)), digest))
    except (MissingExtra, OSError) as error:
        raise NotSafe(f"what is written in it cannot be read: {error}") from error
    if problem:
        raise NotSafe(f"what is written in {visible(path)} cannot be read: {problem}")
    return words


def _sidecars(keeper: PathBytes) -> Iterator[tuple[Witness, Xmp]]:
    """Yield the XMP sidecars that lie beside a keeper now, read now."""
    folder, name = os.path.split(keeper)
    for other in sorted(os.listdir(folder)):
        if suffix_of(other) != "xmp" or not belongs_to(other, name):
            continue
        path = os.path.join(folder, other)
        with suppress(OSError, ValueError), open(open_path(path, FILE), "rb") as stream:
            stamp = Stamp.of(os.fstat(stream.fileno()))
            yield Witness(path, stamp), parse_xmp(stream.read(LARGEST_SIDECAR))
