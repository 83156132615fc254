"""Dockets of what can be made again."""

from collections.abc import Iterator, Sequence
from typing import NamedTuple

from foldkeep.find.derived import Batch, Caches, Regenerable, all_caches
from foldkeep.find.references import ProjectFolders
from foldkeep.model import Action, DocketRow, Filter, Progress, no_progress, visible
from foldkeep.model.grades import Grade
from foldkeep.model.kinds import kind_of
from foldkeep.model.recipes import Recipe
from foldkeep.signals import Measures
from foldkeep.stock import Stock

from .listed import name_of

_FEW_FOLDERS = 50
_MEASURED = {
    "photo": ", measured: fewer pixels of the same picture",
    "video": ", measured: fewer pixels of every frame, and no other sound",
}


def cache_rows(found: Caches, stock: Stock) -> Iterator[DocketRow]:
    """Yield docket rows for files that can be made again, each after the row of what it is made from, which stays.

    Their kind is what they are (``proxy``, ``render``, …), by which `fold` knows that they are no copies of it. Files
    whose source is gone, or that are in use, are left; so is what only lies in the user's cache folder, for which no
    file can stand, and what is no more than likely. What is only perhaps derived has no row.
    """
    by_source: dict[bytes, list[Regenerable]] = {}
    for each in (*found.found, *found.likely):
        if each.source is not None:
            by_source.setdefault(each.source, []).append(each)
    sources = stock.listing.at_all(by_source)
    likely: dict[tuple[Batch, str], str] = {}
    for source, files in sorted(by_source.items()):
        set_ = name_of(source)
        kept = sources.get(source)
        if kept is None:
            reason = f"by {files[0].batch.evidence}; no file stands for it, so it takes --allow-last-copy to fold it"
            yield from (_row(each, Action.LEAVE, reason) for each in files)
            continue
        why = "the others of this set can be made again while this is there"
        yield DocketRow(set_, Action.KEEP, source, kept.size, kept.kind, kept.modified_ns, kept.digest, why)
        for each in files:
            if each.grade is Grade.LIKELY:
                key = (each.batch, each.missing)
                if key not in likely:
                    likely[key] = f"likely a {_reason(each)}: {each.missing}; write fold to fold it"
                yield _row(each, Action.LEAVE, likely[key], set_)
            else:
                yield _row(each, Action.FOLD, _reason(each), set_)
    for each in found.last:
        yield _row(each, Action.LEAVE, f"its source is gone: perhaps the last copy; {each.batch.evidence}")
    for each, sign in found.in_use:
        yield _row(each, Action.LEAVE, sign)


class Derived(NamedTuple):
    """A derived file of a docket, as it was found out again.

    Attributes
    ----------
    source
        What it is made from.
    grade, missing
        How far that is shown, and what keeps it from being proved.
    recipe
        The name of the one that takes it; empty if a tag does.
    made, source_digest
        What both were before they were measured; empty where nothing had to be measured.
    """

    source: bytes
    grade: Grade
    missing: str = ""
    recipe: str = ""
    made: bytes = b""
    source_digest: bytes = b""


def derived_again(
    stock: Stock,
    rows: Sequence[DocketRow],
    recipes: Sequence[Recipe],
    projects: ProjectFolders,
    user_cache: bytes = b"",
    progress: Progress = no_progress,
) -> dict[bytes, Derived]:
    """Find out again which files of a docket are derived ones, whatever its rows say; return them by path.

    Nothing is looked for where no row that is to go claims to be one. What was measured before is measured again.
    """
    claimed = {row.path for row in rows if row.is_regenerable and row.action is Action.FOLD}
    if not claimed:
        return {}
    folders = tuple({path.rpartition(b"/")[0] for path in claimed})
    where = Filter(under=folders) if len(folders) <= _FEW_FOLDERS else Filter()
    measures = Measures(stock, fresh=True, films=claimed, progress=progress)
    found = all_caches(stock, recipes, projects, where, user_cache, measures)
    before = measures.digests
    return {
        each.path: Derived(
            each.source, each.grade, each.missing, each.batch.recipe.name if each.batch.recipe else "",
            before.get(each.path, b""), before.get(each.source, b""),
        )
        for files in (found.found, found.likely, found.perhaps)
        for each in files
        if each.source is not None and each.path in claimed
    }  # fmt: skip


def _reason(each: Regenerable) -> str:
    version = f" of version {visible(each.batch.version)}" if each.batch.version else ""
    if each.batch.recipe is None:
        return f"{each.batch.what}: {each.batch.evidence}"
    proof = ""
    if each.grade is Grade.PROVED:
        by_manifest = each.batch.recipe.source == "manifest"
        proof = ", which a manifest names" if by_manifest else _MEASURED.get(kind_of(each.path), "")
    trusted = ", which you trust" if each.grade is Grade.TRUSTED else ""
    return f"{each.batch.what}{version} by {each.batch.evidence}{proof}{trusted}"


def _row(each: Regenerable, action: Action, reason: str, set_: str = "") -> DocketRow:
    name = set_ or name_of(each.path)
    return DocketRow(name, action, each.path, each.size, each.batch.what, each.modified_ns, None, reason)
