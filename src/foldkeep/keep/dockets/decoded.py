"""Dockets of files that decode to the same: a suggestion each, and nothing that goes by itself."""

from collections.abc import Iterable, Iterator, Sequence

from foldkeep.find.copies import MediaCopy, MediaSet, written
from foldkeep.model import Action, DocketRow, visible


def decoded_rows(sets: Iterable[MediaSet]) -> Iterator[DocketRow]:
    """Yield docket rows for sets that decode to the same, the suggested keeper of each first; each file is left."""
    for found in sets:
        copies = sorted(found.copies, key=_rank)
        for copy in copies:
            file = copy.file
            yield DocketRow(
                found.id, Action.LEAVE, file.path, file.size, file.kind, file.modified_ns, file.digest,
                _suggestion(copy, copies, found.what),
            )  # fmt: skip


def _rank(copy: MediaCopy) -> tuple[int, int, int, bytes]:
    return -len(copy.more), -written(copy.says), copy.file.size, copy.file.path


def _suggestion(copy: MediaCopy, copies: Sequence[MediaCopy], what: str) -> str:
    first, other = copies[0], copies[1]
    if copy is first:
        reasons = ("most belongs to it", "most is written in it", "it is the smallest", "the first by path")
        pairs = zip(_rank(first), _rank(other), strict=True)
        return f"suggested keeper: {next(why for why, (one, two) in zip(reasons, pairs, strict=True) if one != two)}"
    coded = [visible(word) for word in (copy.says.format, copy.says.video_codec, copy.says.audio_codec) if word]
    same = copy.file.digest == first.file.digest
    return "the same content" if same else f"decodes to the same: {what}; here {', '.join(coded) or copy.file.kind}"
