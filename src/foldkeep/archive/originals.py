"""Folding a project that was archived: each file is read again and must be what the package has."""

import os
from collections.abc import Iterator
from dataclasses import replace

from foldkeep.find.projects import Lending
from foldkeep.fold import FoldReport, Item, Plan, check_plan, fold
from foldkeep.formats.packages import Form, Listed
from foldkeep.model import Action, DocketRow, Place, Progress, UnusableInput, no_progress, visible
from foldkeep.model.kinds import kind_of
from foldkeep.model.names import innermost
from foldkeep.model.runs import SourceFacts
from foldkeep.stock import Stock
from foldkeep.storage.local.reading import modified_ns

from .archiving import ArchiveReport
from .packing import Packed, Packing


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
    digests = {file.path: file.digest for made in report.packages for file in stock.archives.files_of(made.key)}
    plan = Plan(os.fsdecode(report.packages[0].path))
    items = (
        replace(item, refusal=item.refusal or lent.reason(item.row.path))
        for item in _items(packing, report, place, digests)
    )
    plan.by_place[place.path] = sorted(items, key=lambda item: item.row.path)
    return fold(stock, check_plan(stock, plan), progress, break_lock=break_lock)


def _items(packing: Packing, report: ArchiveReport, place: Place, digests: dict[bytes, bytes]) -> Iterator[Item]:
    """Yield what is to be folded, each with the package that has it, or has what it was made from."""
    packages: dict[bytes, bytes] = {}
    in_pieces = set()
    for made in report.packages:
        for entry in made.packing.files:
            packages.setdefault(entry.source, made.path)
            if entry.listed.form is Form.PIECE:
                in_pieces.add(entry.source)

    def item(path: bytes, facts: os.stat_result, content: bytes, digest: bytes | None) -> Item:
        kind, package = kind_of(os.path.basename(path)), packages[content]
        reason = f"archived in {visible(package)}"
        row = DocketRow("archived", Action.FOLD, path, facts.st_size, kind, modified_ns(facts), digest, reason)
        refusal = "it is in pieces, and no single package vouches for it" if content in in_pieces else ""
        return Item(row, place, [], package=package, refusal=refusal)

    for entry in packing.entries:
        if entry.listed.form in (Form.FILE, Form.SAME) and not entry.listed.is_outside:
            content = _content(packing, entry.listed, entry)
            yield item(entry.source, entry.facts, content, digests[content])
    for path, (grade, recipe, source) in packing.left_out_recipes.items():
        facts = SourceFacts(0, 0, grade=grade, recipe=recipe)  # everything in the package vouches for it
        yield replace(item(path, os.lstat(path), source, None), source_facts=facts)


def _content(packing: Packing, listed: Listed, entry: Packed) -> bytes:
    """Return the path under which the content of a name was written down."""
    return os.path.join(packing.project, listed.target) if listed.form is Form.SAME else entry.source
