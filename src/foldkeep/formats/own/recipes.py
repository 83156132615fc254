"""Recipe files: TOML 1.0 with one table ``[[recipe]]`` for each, see docs/formats.md."""

from collections.abc import Callable
from functools import cache
from importlib.resources import files
from typing import Any

from foldkeep.model import UnusableInput, visible
from foldkeep.model.kinds import KINDS
from foldkeep.model.recipes import IN_PROJECT, SOURCES, WHATS, Recipe
from foldkeep.model.work import reason_of

from ..reading import read_whole
from .values import flag, name, one_of, some, words

_LARGEST = 16 * 1024 * 1024


@cache
def general_recipes() -> tuple[Recipe, ...]:
    """Return the recipes that come with Fold Keep."""
    return _parsed(files(__package__).joinpath("recipes.toml").read_bytes())


def read_recipes(path: str) -> tuple[Recipe, ...]:
    """Read a file of recipes.

    Raises
    ------
    UnusableInput
        If it cannot be read, or a recipe in it says what makes no sense.
    """
    try:
        return _parsed(read_whole(path, _LARGEST))
    except OSError as error:
        raise UnusableInput(
            f"cannot read the recipes {visible(path)}: {reason_of(error)}", "name a file that is there"
        ) from error
    except (ValueError, RecursionError) as error:
        raise UnusableInput(
            f"cannot use the recipes {visible(path)}: {visible(str(error))}", "mend that; docs/formats.md has the form"
        ) from error


def with_general(own: tuple[Recipe, ...]) -> tuple[Recipe, ...]:
    """Return recipes of a user's, then the general ones whose names they do not have."""
    names = {recipe.name for recipe in own}
    return (*own, *(recipe for recipe in general_recipes() if recipe.name not in names))


def _parsed(document: bytes) -> tuple[Recipe, ...]:
    import tomllib

    tables = tomllib.loads(document.decode("utf-8-sig")).get("recipe")
    if not isinstance(tables, list) or not all(isinstance(table, dict) for table in tables):
        raise ValueError("it has no [[recipe]]")
    return tuple(_recipe(table, number) for number, table in enumerate(tables, start=1))


def _recipe(table: dict[str, Any], number: int) -> Recipe:
    called = table.get("name")
    shown = repr(called) if isinstance(called, str) and called else f"number {number}"
    found = {}
    for key, value in table.items():
        if key not in _KEYS:
            raise ValueError(f"recipe {shown} has {key!r}, which is none of {', '.join(_KEYS)}")
        try:
            found[key] = _KEYS[key](value)
        except ValueError as error:
            raise ValueError(f"recipe {shown}, {key}: {error}") from error
    missing = [key for key in ("name", "what", "files", "source") if key not in found]
    if missing:
        raise ValueError(f"recipe {shown} has no {missing[0]}")
    if (found["source"] == "manifest") != ("manifest" in found):
        raise ValueError(f"recipe {shown}: a source by manifest and the name of manifests go together")
    return Recipe(**found)


def _globs(value: Any) -> tuple[str, ...]:
    for glob in some(value):
        if any("**" in step and step != "**" for step in glob.split("/")):
            raise ValueError(f"{glob!r} has ** as part of a step; write it as a whole one, like **/renders/**")
    return words(value)


def _kinds(value: Any) -> tuple[str, ...]:
    return tuple(one_of(KINDS)(kind) for kind in some(value))


def _folders(value: Any) -> tuple[str, ...]:
    if any(folder.startswith("/") for folder in some(value)):
        raise ValueError(f"write folders from that of the file, like '..', or {IN_PROJECT!r}")
    return words(value)


def _version(value: Any) -> tuple[str, ...]:
    patterns = some([value] if isinstance(value, str) else value)
    for pattern in patterns:
        if pattern.count("*") != 1 or any(mark in pattern for mark in "()[]\\/"):
            raise ValueError(f"{pattern!r} has not one * where the version stands; write what folders are called: 'v*'")
    return patterns


_KEYS: dict[str, Callable[[Any], Any]] = {
    "name": name,
    "what": one_of(WHATS),
    "files": _globs,
    "source": one_of(SOURCES),
    "marks": lambda value: tuple(mark.lower() for mark in words(value)),
    "folders": _folders,
    "kinds": _kinds,
    "marked": _kinds,
    "manifest": name,
    "version": _version,
    "cleared_in_use": flag,
    "trust": flag,
}
