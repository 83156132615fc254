"""Folding a project that was archived: each file is read again and must be what the package has."""

import os
from dataclasses import replace

from foldkeep.find import Lending
from foldkeep.formats import Form, Listed
from foldkeep.model import (
    Action,
    DocketRow,
    Place,
    Progress,
    SourceFacts,
    UnusableInput,
    innermost,
    kind_of,
    no_progress,
    visible,
)
from foldkeep.stock import Stock
from foldkeep.storage.local import modified_ns

from .archiving import ArchiveReport
from .packing import Packed, Packing
from .runs.checking import check_plan
from .runs.folding import FoldReport, fold
from .runs.plan import Item, Plan


def fold_original(
    stock: Stock,
    packing: Packing,
    report: ArchiveReport,
    lent: Lending,
    progress: Progress = no_progress,
    *,
    break_lock: bool = False,
) -> FoldReport:
    """Fold the files of a project whose package was just made and read back.

    A file that changed since it was archived is left, and so are symbolic links, and what others use.

    Raises
    ------
    UnusableInput
        If not all of the project is in the package, or it lies in no place.
    """
    if packing.problems:
        raise UnusableInput(
            f"{visible(packing.project)} stays where it is, since not all of it could be archived",
            "mend that and archive it again",
        )
    places = {place.path: place for place in stock.places.all()}
    top = innermost(places, packing.project)
    if top is None:
        raise UnusableInput(
            f"{visible(packing.project)} lies in no place, or is one itself, so it cannot be folded", "move it yourself"
        )
    place = places[top]
    digests = {file.path: file.digest for file in stock.archives.files_of(report.key)}
    plan = Plan(os.fsdecode(report.package))
    items = (replace(item, refusal=lent.reason(item.row.path)) for item in _items(packing, report, place, digests))
    plan.by_place[place.path] = sorted(items, key=lambda item: item.row.path)
    return fold(stock, check_plan(stock, plan), progress, break_lock=break_lock)


def _items(packing: Packing, report: ArchiveReport, place: Place, digests: dict[bytes, bytes]) -> list[Item]:
    reason = f"archived in {visible(report.package)}"

    def row(path: bytes, facts: os.stat_result, digest: bytes | None) -> DocketRow:
        kind = kind_of(os.path.basename(path))
        return DocketRow("archived", Action.FOLD, path, facts.st_size, kind, modified_ns(facts), digest, reason)

    items = [
        Item(
            row(entry.source, entry.facts, digests[_content(packing, entry.listed, entry)]),
            place, [], package=report.package,
        )
        for entry in packing.entries
        if entry.listed.form in (Form.FILE, Form.SAME) and not entry.listed.is_outside
    ]  # fmt: skip
    for path, (grade, recipe) in packing.left_out_recipes.items():
        source = SourceFacts(0, 0, grade=grade, recipe=recipe)  # everything in the package vouches for it
        items.append(Item(row(path, os.lstat(path), None), place, [], package=report.package, source_facts=source))
    return items


def _content(packing: Packing, listed: Listed, entry: Packed) -> bytes:
    """Return the path under which the content of a name was written down."""
    return os.path.join(packing.project, listed.target) if listed.form is Form.SAME else entry.source
