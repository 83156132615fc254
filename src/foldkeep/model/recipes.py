"""Recipes: how to tell the files that a program can make again, and what it makes them from."""

import re
from collections.abc import Sequence
from typing import NamedTuple

WHATS = ("render", "proxy", "intermediate", "waveform", "index", "thumbnail", "frame cache", "log")
"""What such files are, in the words of the trade."""

CACHE = "cache"
"""What files are whose folder says only that they can be made again, not what they are."""

CACHE_TAG = b"CACHEDIR.TAG"
"""The file that tags its folder as a cache (Cache Directory Tagging Specification)."""

SOURCES = ("stem", "folder", "manifest", "project")
"""How the source of a file is found: by its own name, by that of a folder it lies in, in a manifest that names both,
or as the document of the project that it lies in."""

IN_PROJECT = "project"
"""Stands among the folders of a recipe for: anywhere in the project."""


class Recipe(NamedTuple):
    """One kind of file that can be made again, while its source exists.

    Attributes
    ----------
    name
        What the recipe is called.
    what
        One of `WHATS`.
    files
        Globs for paths below a place; the step ``**`` stands for any folders, letter case does not count.
    source
        One of `SOURCES`.
    marks
        What the stem of a file, or the name of its folder, may begin or end with that its source's does not; in lower
        case.
    folders
        Where sources by name may lie, from the folder of what has their name: ``.``, ``..``, ``../stills``, or
        `IN_PROJECT`.
    kinds
        Of sources that are not documents of projects.
    marked
        The kinds of files that a mark alone may tell, outside the folders that `files` names: ``page_thumb.js`` is no
        thumbnail. Empty: any.
    manifest
        A glob for the names of manifests, in the folder of a file or above it.
    version
        What folders and files are called by version: ``v*``; the star stands for numbers with dots between them.
    cleared_in_use
        Whether such files may go while a program has the project open.
    trust
        Whether the user says that its files can be made again, where nothing proves it.
    """

    name: str
    what: str
    files: tuple[str, ...]
    source: str
    marks: tuple[str, ...] = ()
    folders: tuple[str, ...] = (".",)
    kinds: tuple[str, ...] = ("photo", "video", "audio")
    marked: tuple[str, ...] = ()
    manifest: str = ""
    version: tuple[str, ...] = ()
    cleared_in_use: bool = False
    trust: bool = False

    @property
    def evidence(self) -> str:
        """Why a file that it takes counts as one that can be made again."""
        return f"recipe {self.name}"

    def version_in(self, path: str) -> str:
        """Return the version of the program that a path tells; empty if it tells none.

        >>> Recipe("r", "render", ("**",), "project", version=("version *", "v*")).version_in("renders/V10.2/a.mov")
        '10.2'
        """
        for step in path.lower().split("/") if self.version else ():
            for pattern in self.version:
                before, _, after = pattern.lower().partition("*")
                middle = step[len(before) : len(step) - len(after)]
                fits = step.startswith(before) and step.endswith(after) and middle[:1].isdigit()
                if fits and middle[-1].isdigit() and middle.replace(".", "").isdecimal():
                    return middle
        return ""

    def says_nothing(self, stem: str, kind: str, *, has_source: bool = True) -> bool:
        """Tell whether the mark in a name is no sign that a file was made from another.

        A proxy or render without its original is perhaps the last there is of it. A thumbnail without one is just
        a file that is called so.

        >>> thumbs = Recipe("thumbs", "thumbnail", ("**/*_thumb.*",), "stem", ("_thumb",), marked=("photo",))
        >>> thumbs.says_nothing("page_thumb", "other"), thumbs.says_nothing("bar_thumb", "photo", has_source=False)
        (True, True)
        """
        if not self.marked or len(self.stems(stem)) == 1:
            return False
        return kind not in self.marked or not (has_source or self.what != "thumbnail")

    def stems(self, stem: str) -> list[str]:
        """Return what the stem of a file's source may be, in lower case; `stem` is that of the file or its folder.

        >>> Recipe("proxies", "proxy", ("**/proxies/**",), "stem", ("_proxy",)).stems("Kite_proxy")
        ['kite_proxy', 'kite']
        """
        stem = stem.lower()
        found = [stem]
        for mark in self.marks:
            if stem.endswith(mark) and stem != mark:
                found.append(stem[: -len(mark)])
            if stem.startswith(mark) and stem != mark:
                found.append(stem[len(mark) :])
        return found


_FLAGS = re.IGNORECASE | re.DOTALL


class _Glob(NamedTuple):
    """A glob cut in two: what it asks of the folder, and of the name in it (None: nothing); that as it is written."""

    recipe: Recipe
    folder: re.Pattern[str]
    name: str | None
    plain: str = ""


class Shelf(NamedTuple):
    """Files that several recipes take in one folder.

    Attributes
    ----------
    of_all
        The recipe that takes every file there that no recipe before it takes by name, or None.
    pattern
        What a name that one of `recipes` takes matches, with a group for each.
    any_name, parts
        What finds such a name among several, and plain text of which one holds a part if any is there.
    """

    recipes: tuple[Recipe, ...] = ()
    of_all: Recipe | None = None
    pattern: re.Pattern[str] | None = None
    any_name: re.Pattern[str] | None = None
    parts: frozenset[str] = frozenset()

    def takes(self, name: bytes) -> Recipe | None:
        """Return the recipe that takes a file by its name."""
        if self.pattern is not None:
            found = self.pattern.fullmatch(name.decode("utf-8", "surrogateescape"))
            if found and found.lastgroup:
                return self.recipes[int(found.lastgroup[1:])]
        return self.of_all

    def takes_by_name(self, names: Sequence[bytes]) -> bool:
        """Tell whether any of several files is taken by its name; all at once, which takes a tenth of the time."""
        if self.any_name is None or not names:
            return False
        one_text = b"\0".join((b"", *names, b"")).decode("utf-8", "surrogateescape")
        if one_text.isascii():
            lower = one_text.lower()
            if not any(part in lower for part in self.parts):
                return False  # looking for plain text takes a twentieth of the time
        return self.any_name.search(one_text) is not None


class Cookbook:
    """Several recipes; of two that take a file the first one counts.

    A folder is looked up once and its names are matched then: there are far fewer folders than files.
    """

    def __init__(self, recipes: Sequence[Recipe]) -> None:
        self.recipes = tuple(recipes)
        self._globs = [_cut(recipe, glob) for recipe in recipes for glob in recipe.files]
        self._shelves: dict[tuple[int, ...], Shelf] = {}

    def of(self, folder: str) -> Shelf:
        """Return what the recipes take in a folder: its path below its place with a slash at its end; empty for that.

        >>> proxies = Recipe("proxies", "proxy", ("**/proxies/**", "**/*_proxy.*"), "stem")
        >>> Cookbook([proxies]).of("day 1/Proxies/").takes(b"kite.mov").name
        'proxies'
        >>> Cookbook([proxies]).of("").takes(b"kite.mov") is None
        True
        """
        fitting = tuple(at for at, glob in enumerate(self._globs) if glob.folder.fullmatch(folder))
        if fitting not in self._shelves:
            self._shelves[fitting] = _shelf([self._globs[at] for at in fitting])
        return self._shelves[fitting]


def _shelf(globs: Sequence[_Glob]) -> Shelf:
    named = []
    of_all = None
    for glob in globs:
        if glob.name is None:
            of_all = glob.recipe
            break
        named.append(glob)
    parts = (f"(?P<r{at}>{glob.name})" for at, glob in enumerate(named))
    names = re.compile("|".join(parts), _FLAGS) if named else None
    any_name = "|".join(glob.name.replace("[^/]", "[^/\0]") for glob in named if glob.name)
    one_of_all = re.compile(f"\0(?:{any_name})(?=\0)", _FLAGS) if named else None
    parts_of_names = frozenset(max(re.split(r"[*?]", glob.plain), key=len).lower() for glob in named)
    return Shelf(tuple(glob.recipe for glob in named), of_all, names, one_of_all, parts_of_names)


def _cut(recipe: Recipe, glob: str) -> _Glob:
    *folders, name = glob.split("/")
    if name == "**":
        folders.append(name)
    return _Glob(recipe, re.compile(_steps(folders), _FLAGS), None if name == "**" else _pattern(name), name)


def _steps(folders: Sequence[str]) -> str:
    """Return globs for folders as a regular expression that takes time in proportion to what it is matched with.

    What stands between two ``**`` is looked for where it comes first, and never elsewhere (an atomic group): if the
    rest does not fit after that, it fits after no later one.
    """
    parts: list[list[str]] = [[]]
    for step in folders:
        if step != "**":
            parts[-1].append(_pattern(step) + "/")
        elif parts[-1] or len(parts) == 1:
            parts.append([])
    first, *others = ["".join(part) for part in parts]
    if not others:
        return first
    middles = "".join(f"(?>(?:[^/]*/)*?{part})" for part in others[:-1])
    return f"{first}{middles}(?:[^/]*/)*{others[-1]}"


def _pattern(glob: str) -> str:
    """Return a glob for one step as a regular expression, in time as `_steps`."""
    first, *others = ["".join("[^/]" if mark == "?" else re.escape(mark) for mark in part) for part in glob.split("*")]
    if not others:
        return first
    middles = "".join(f"(?>[^/]*?{part})" for part in others[:-1] if part)
    return f"{first}{middles}[^/]*{others[-1]}"
