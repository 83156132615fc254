"""Recipes: how to tell the files that a program can make again, and what it makes them from."""

import re
from collections.abc import Sequence
from dataclasses import dataclass

WHATS = ("render", "proxy", "intermediate", "waveform", "index", "thumbnail", "frame cache", "log")
"""What such files are, in the words of the trade."""

SOURCES = ("stem", "project")
"""How the source of a file is found: by its name, or as the document of the project that the file lies in."""

IN_PROJECT = "project"
"""Stands among the folders of a recipe for: anywhere in the project."""


@dataclass(frozen=True, slots=True)
class Recipe:
    """One kind of file that can be made again, while its source exists.

    Attributes
    ----------
    name
        What the recipe is called.
    what
        One of `WHATS`.
    files
        Globs for paths below a place; ``**/`` stands for any folders, letter case does not count.
    source
        One of `SOURCES`.
    marks
        What a file's stem may begin or end with that its source's does not.
    folders
        Where sources by stem may lie, from the folder of the file: ``.``, ``..``, ``../stills``, or `IN_PROJECT`.
    kinds
        Of sources by stem.
    version
        A regular expression for paths; its first group is the version of the program.
    cleared_in_use
        Whether such files may go while a program has the project open.
    """

    name: str
    what: str
    files: tuple[str, ...]
    source: str
    marks: tuple[str, ...] = ()
    folders: tuple[str, ...] = (".",)
    kinds: tuple[str, ...] = ("photo", "video", "audio")
    version: str = ""
    cleared_in_use: bool = False

    def stems(self, stem: str) -> list[str]:
        """Return what the stem of a file's source may be, in lower case; `stem` is that of the file.

        >>> Recipe("proxies", "proxy", ("**/proxies/**",), "stem", ("_proxy",)).stems("Kite_proxy")
        ['kite_proxy', 'kite']
        """
        stem = stem.lower()
        found = [stem]
        for mark in map(str.lower, self.marks):
            found += [plain for plain in (stem.removesuffix(mark), stem.removeprefix(mark)) if plain not in ("", stem)]
        return list(dict.fromkeys(found))


class Cookbook:
    """Several recipes; of two that take a file the first one counts."""

    def __init__(self, recipes: Sequence[Recipe]) -> None:
        self.recipes = tuple(recipes)
        parts = (f"(?P<r{number}>{'|'.join(map(_pattern, each.files))})" for number, each in enumerate(self.recipes))
        self._taken = re.compile("|".join(parts), re.IGNORECASE | re.DOTALL) if self.recipes else None

    def takes(self, path: str) -> Recipe | None:
        """Return the recipe that takes a file by its path below its place."""
        found = self._taken.fullmatch(path) if self._taken else None
        return self.recipes[int(found.lastgroup[1:])] if found and found.lastgroup else None


def _pattern(glob: str) -> str:
    """Return a glob as a regular expression: ``*`` and ``?`` stay within a step, ``**`` goes over any."""
    steps = {"**/": "(?:.*/)?", "**": ".*", "*": "[^/]*", "?": "[^/]"}
    return "".join(steps.get(part, re.escape(part)) for part in re.split(r"(\*\*/|\*\*|\*|\?)", glob))
