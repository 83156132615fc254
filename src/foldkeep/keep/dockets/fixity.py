"""Dockets of damage: a good copy takes the place of each file that is not what it was; what may be an edit is left."""

from collections.abc import Iterable, Iterator

from foldkeep.find.coverage import Damage
from foldkeep.model import Action, DocketRow, StockFile, visible
from foldkeep.model.units import format_moment


def fixity_rows(damaged: Iterable[Damage], changed: Iterable[Damage]) -> Iterator[DocketRow]:
    """Yield docket rows for files that are not what they were: damaged ones to heal, their good copies to keep."""
    for each in damaged:
        what = "damaged: no time of it changed" if each.found.check.found else "its medium gives it no more"
        if each.good.files:
            yield _row(each, Action.HEAL, what)
            yield from (_good(each, file) for file in each.good.files)
        else:
            yield _row(each, Action.LEAVE, f"{what}; {_elsewhere(each)}")
    for each in changed:
        yield _row(each, Action.LEAVE, "changed, cause unknown: look at it; if it is right, nothing is to be done")
        yield from (_good(each, file) for file in each.good.files)


def _set(each: Damage) -> str:
    # Two damaged copies of one content are healed each by itself.
    return f"h{each.found.due.ids[0]}"


def _row(each: Damage, action: Action, reason: str) -> DocketRow:
    due = each.found.due
    digest = each.found.check.found or None
    return DocketRow(_set(each), action, due.path, due.size, due.kind, due.modified_ns, digest, reason)


def _good(each: Damage, file: StockFile) -> DocketRow:
    return DocketRow(
        _set(each), Action.KEEP, file.path, file.size, file.kind, file.modified_ns, file.digest,
        f"has the content that {visible(each.found.due.path)} had",
    )  # fmt: skip


def _elsewhere(each: Damage) -> str:
    for archive, _ in each.good.packages:
        return f"no good copy lies in a place; restore it from {visible(archive.package)}"
    for cupboard in each.good.inventories:
        saved = format_moment(cupboard.saved_ns)[:10]
        return f"no good copy lies in a place that is here; {cupboard.label} had one on {saved}"
    return "no good copy is known"
