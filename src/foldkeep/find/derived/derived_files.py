"""Files that a program can make again, by evidence, and only while what they are made from is there."""

import os
from collections.abc import Sequence

from foldkeep.model import Filter, UnusableInput, visible
from foldkeep.model.recipes import Recipe
from foldkeep.signals import Measures
from foldkeep.stock import Stock
from foldkeep.storage.local.drives import real_name

from ..references.project_folders import ProjectFolders
from .derivations import Made, missing_source
from .found import Caches
from .sorting import BY_HAND, Sorting


def all_caches(
    stock: Stock,
    recipes: Sequence[Recipe],
    projects: ProjectFolders,
    wanted: Filter,
    user_cache: bytes = b"",
    measures: Measures | None = None,
) -> Caches:
    """Find files that can be made again: by a tag, a recipe, or the user's cache folder.

    Finished films and mixes are none of them, whatever takes them.

    Parameters
    ----------
    wanted
        Which of them are asked for; sources may be any file of the stock.
    user_cache
        The user's folder for caches (XDG_CACHE_HOME); empty not to count it as evidence.
    measures
        Measures files and their sources where that is needed; those that the stock remembers are believed if None.
    """
    seen = Sorting(stock, recipes, projects, measures or Measures(stock), user_cache)
    seen.look(wanted)
    return seen.caches()


def explain_cache(
    stock: Stock, recipes: Sequence[Recipe], projects: ProjectFolders, name: str, user_cache: bytes = b""
) -> str:
    """Return which recipe takes a file and why, or why none does.

    Raises UnusableInput if the stock does not know it.
    """
    path = real_name(os.fsencode(name))
    file = stock.listing.at(path)
    if file is None:
        raise UnusableInput(f"{visible(name)} is not in the stock", "scan the place that it lies in")
    folder, _, last = path.rpartition(b"/")
    found = all_caches(stock, recipes, projects, Filter(under=(folder,)), user_cache)
    each = next((each for files in found.lists for each in files if each.path == path), None)
    if each is None and file.kind in BY_HAND:
        return f"{visible(path)}: no recipe takes a {file.kind}, since no program makes one again"
    if any(each.path == path for each in found.finished):
        return f"{visible(path)}: a finished film or mix by its name, its folder and its length, so it is no cache"
    if each is None:
        below = path[len(file.place.path.rstrip(b"/")) + 1 :]
        return f"{visible(path)}: no recipe takes {visible(below)}, and no folder above it has a tag"
    if each.source is not None and each.batch.recipe is None:
        return f"{visible(path)}: {each.batch.what}, since {each.batch.evidence}: {visible(each.source)}"
    if each.source is not None:
        may = "can" if each.grade.may_go else "can perhaps"
        missing = f"; {each.grade}: {each.missing}" if each.missing else ""
        return (
            f"{visible(path)}: {each.batch.what} by {each.batch.evidence}; "
            f"it {may} be made again from {visible(each.source)}{missing}"
        )
    why = "what it shows is not there"
    if each.batch.recipe:
        why = missing_source(Made(folder, last, file.place.path, each.batch.recipe))
    return f"{visible(path)}: {each.batch.what} by {each.batch.evidence}, but its source is gone: {why}"
