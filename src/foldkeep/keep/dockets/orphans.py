"""Dockets of what a catalogue has lost track of."""

from collections.abc import Iterator, Sequence

from foldkeep.find.catalogs import Orphans, Standing, Unknown
from foldkeep.model import Action, DocketRow, StockFile, visible
from foldkeep.model.names import lies_below

from .listed import name_of


def orphan_rows(found: Orphans, places: Sequence[bytes], *, sole_copies: bool = False) -> Iterator[DocketRow]:
    """Yield docket rows for files that a catalogue does not know, and for companions without a master.

    A copy of a file that it knows may go, and that file stands for it. What lies nowhere else, and what only has the
    name of another file, is left, unless `sole_copies` asks for it; then nothing stands for it. A thumbnail of a
    file that changed may go, since it will be made again; it has a row only if it lies below one of the `places`.
    """
    for each in found.unknown:
        yield from _rows(each, sole_copies)
    for left in found.left_over:
        why = "its master is gone"
        if left.masters:
            yield _row(left.file, Action.LEAVE, f"{why} from here; perhaps it is {visible(left.masters[0])}")
        else:
            yield _row(left.file, Action.FOLD if sole_copies else Action.LEAVE, why)
    for twice in found.twice:
        set_ = name_of(twice.files[0].path)
        for number, file in enumerate(twice.files if len(twice.files) > 1 else ()):
            # Which of them the catalogue can do without, only a person knows.
            reason = "the catalogue knows it" if not number else "the catalogue knows this copy as well"
            yield _row(file, Action.LEAVE if number else Action.KEEP, reason, set_)
    for thumb in found.thumbnails:
        if any(lies_below(thumb.path, place) for place in places):
            why = f"{visible(thumb.master)} {'is gone' if thumb.is_gone else 'changed since it was made'}"
            action = Action.FOLD if sole_copies or not thumb.is_gone else Action.LEAVE
            yield DocketRow(name_of(thumb.path), action, thumb.path, thumb.size, "photo", thumb.modified_ns, None, why)


def _rows(each: Unknown, sole_copies: bool) -> Iterator[DocketRow]:
    other = each.other
    if other is not None and other.identity == each.file.identity:
        yield _row(each.file, Action.LEAVE, "another name (hard link) of a file that the catalogue knows")
        return
    if each.standing is Standing.COPY and other is not None:
        set_ = name_of(each.file.path)
        yield _row(other, Action.KEEP, "the catalogue knows it", set_)
        yield _row(each.file, Action.FOLD, "the catalogue does not know it, and knows a copy", set_)
        return
    reasons = {
        Standing.SOLE: "the catalogue does not know it, and its content is nowhere else that is known",
        Standing.ALIKE: "the catalogue does not know it, but another file of this name",
        Standing.ELSEWHERE: "the catalogue does not know it, nor its copies",
    }
    yield _row(each.file, Action.FOLD if sole_copies else Action.LEAVE, reasons[each.standing])


def _row(file: StockFile, action: Action, reason: str, set_: str = "") -> DocketRow:
    name = set_ or name_of(file.path)
    return DocketRow(name, action, file.path, file.size, file.kind, file.modified_ns, file.digest, reason)
