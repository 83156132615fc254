"""Folding a project that was archived: each file is read again and must be what the package has."""

import os

from foldkeep.formats import Form, Listed
from foldkeep.model import Action, DocketRow, Place, Progress, UnusableInput, innermost, kind_of, no_progress, visible
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
    progress: Progress = no_progress,
    *,
    break_lock: bool = False,
) -> FoldReport:
    """Fold the files of a project whose package was just made and read back.

    A file that changed since it was archived is left, and so are symbolic links.

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
    plan.by_place[place.path] = sorted(_items(packing, report, place, digests), key=lambda item: item.row.path)
    return fold(stock, check_plan(stock, plan), progress, break_lock=break_lock)


def _items(packing: Packing, report: ArchiveReport, place: Place, digests: dict[bytes, bytes]) -> list[Item]:
    files: list[tuple[bytes, int, int, bytes | None]] = []
    for entry in packing.entries:
        if entry.listed.form in (Form.FILE, Form.SAME) and not entry.listed.is_outside:
            digest = digests[_content(packing, entry.listed, entry)]
            files.append((entry.source, entry.facts.st_size, modified_ns(entry.facts), digest))
    for path in packing.left_out:
        facts = os.lstat(path)
        files.append((path, facts.st_size, modified_ns(facts), None))
    return [
        Item(
            DocketRow("archived", Action.FOLD, path, size, kind_of(os.path.basename(path)), modified_ns, digest,
                      f"archived in {visible(report.package)}"),
            place, [], package=report.package,
        )
        for path, size, modified_ns, digest in files
    ]  # fmt: skip


def _content(packing: Packing, listed: Listed, entry: Packed) -> bytes:
    """Return the path under which the content of a name was written down."""
    return os.path.join(packing.project, listed.target) if listed.form is Form.SAME else entry.source
