"""Dockets of what can be made again."""

from collections.abc import Iterator, Sequence

from foldkeep.find import Caches, ProjectFolders, Regenerable, all_caches
from foldkeep.model import Action, DocketRow, Filter, Recipe, visible
from foldkeep.stock import Stock

from .listed import name_of

_FEW_FOLDERS = 50


def cache_rows(found: Caches, stock: Stock) -> Iterator[DocketRow]:
    """Yield docket rows for files that can be made again, each after the row of what it is made from, which stays.

    Their kind is what they are (``proxy``, ``render``, …), by which `fold` knows that they are no copies of it. Files
    whose source is gone, or that are in use, are left; so is what only lies in the user's cache folder, for which no
    file can stand.
    """
    by_source: dict[bytes, list[Regenerable]] = {}
    for each in found.found:
        if each.source is not None:
            by_source.setdefault(each.source, []).append(each)
    for source, files in sorted(by_source.items()):
        set_ = name_of(source)
        kept = stock.listing.at(source)
        if kept is None:
            reason = f"by {files[0].batch.evidence}; no file stands for it, so it takes --allow-last-copy to fold it"
            yield from (_row(each, Action.LEAVE, reason) for each in files)
            continue
        why = "the others of this set can be made again while this is there"
        yield DocketRow(set_, Action.KEEP, source, kept.size, kept.kind, kept.modified_ns, kept.digest, why)
        for each in files:
            yield _row(each, Action.FOLD, _reason(each), set_)
    for each in found.last:
        yield _row(each, Action.LEAVE, f"its source is gone: perhaps the last there is of it; {each.batch.evidence}")
    for each, sign in found.in_use:
        yield _row(each, Action.LEAVE, sign)


def derived_again(
    stock: Stock,
    rows: Sequence[DocketRow],
    recipes: Sequence[Recipe],
    projects: ProjectFolders,
    user_cache: bytes = b"",
) -> dict[bytes, bytes]:
    """Find out again which files of a docket are derived ones, whatever its rows say; return their sources by path.

    Nothing is looked for where no row that is to go claims to be one.
    """
    claimed = {row.path for row in rows if row.is_regenerable and row.action is Action.FOLD}
    if not claimed:
        return {}
    folders = tuple({path.rpartition(b"/")[0] for path in claimed})
    where = Filter(under=folders) if len(folders) <= _FEW_FOLDERS else Filter()
    found = all_caches(stock, recipes, projects, where, user_cache).found
    return {each.path: each.source for each in found if each.source is not None and each.path in claimed}


def _reason(each: Regenerable) -> str:
    version = f" of version {visible(each.batch.version)}" if each.batch.version else ""
    return f"{each.batch.what}{version} by {each.batch.evidence}"


def _row(each: Regenerable, action: Action, reason: str, set_: str = "") -> DocketRow:
    name = set_ or name_of(each.path)
    return DocketRow(name, action, each.path, each.size, each.batch.what, each.modified_ns, None, reason)
