"""What the user has set: what scans look at, and which suffixes make which kind."""

from collections.abc import Mapping
from types import MappingProxyType
from typing import NamedTuple

from .kinds import OTHER, kind_of_suffix, suffix_of

ASKABLE = ("hidden", "system", "bundles", "volumes")
"""What scans skip unless asked: hidden names, the system's own, bundles, volumes mounted below a place."""

WAYS_TO_TELL = ("desktop", "mail", "file")
"""Means by which a reminder reaches a person."""

_NONE: Mapping[str, str] = MappingProxyType({})

BUNDLE_SUFFIXES = ("app", "bundle", "framework", "plugin", "rtfd", "sparsebundle", "*library")


class Settings(NamedTuple):
    """Settings in force.

    Attributes
    ----------
    asked
        Of `ASKABLE`, what scans look at in every place.
    ignore_folders
        Names of folders, or absolute paths of folders, that are skipped.
    ignore_names
        Globs (``*``, ``?``, ``[…]``) for names of files that are skipped; letter case does not matter.
    ignore_suffixes
        Suffixes, without dot, of files that are skipped.
    smallest, largest
        Bytes; files of other sizes are skipped. No largest when None.
    bundle_suffixes
        Suffixes of folders that a program treats as one document; they may hold wildcards.
    same
        What copies must agree in: ``content``, ``essence`` or ``content,essence``.
    prefer
        Words of the rules that choose keepers; the built-in ones when None.
    learned
        Words of rules that were learned from decisions; they are asked before those.
    protect, give_up_under
        What must not go, and folders whose files go first, as a person names them.
    at_least, per
        How many copies stay, and on each of what: volume, place or role; "" for none.
    takes_programs
        Whether copies in folders that a program needs as they are may go.
    litter
        Globs for names that do not count when `fold` asks whether a folder is empty.
    release_after
        How long folded files wait until releasing them is proposed, as a person writes it.
    sides_wait
        How long lies between a fold and its release where the copy is on the other side of a server.
    every, at, by
        How often a reminder comes, when in the day, and by what means: ``desktop``, ``mail`` or ``file``.
    recipes
        A file of recipes for what can be made again, asked before the general ones; "" for none.
    markers
        Globs for the file names that mark their folder as a project.
    inside
        Folders each of whose folders is a project.
    quiet_after
        How long nothing must have changed in a project that is called quiet, as a person writes it.
    kinds
        Kinds of suffixes, for those that are not built in or are to be another kind.
    colors
        Colours of kinds in maps and charts, ``#RRGGBB``.
    """

    asked: frozenset[str] = frozenset()
    ignore_folders: tuple[str, ...] = ()
    ignore_names: tuple[str, ...] = ()
    ignore_suffixes: tuple[str, ...] = ()
    smallest: int = 0
    largest: int | None = None
    bundle_suffixes: tuple[str, ...] = BUNDLE_SUFFIXES
    same: str = "content"
    prefer: tuple[str, ...] | None = None
    learned: tuple[str, ...] = ()
    protect: tuple[str, ...] = ()
    give_up_under: tuple[str, ...] = ()
    at_least: int = 1
    per: str = ""
    takes_programs: bool = False
    litter: tuple[str, ...] = ()
    release_after: str = "30d"
    sides_wait: str = "7d"
    every: str = "2w"
    at: str = "20:00"
    by: str = "desktop"
    recipes: str = ""
    markers: tuple[str, ...] = ()
    inside: tuple[str, ...] = ()
    quiet_after: str = "6m"
    kinds: Mapping[str, str] = _NONE
    colors: Mapping[str, str] = _NONE

    def kind_of(self, name: bytes) -> str:
        """Return the kind of a file by its name."""
        suffix = suffix_of(name)
        return self.kinds.get(suffix) or kind_of_suffix(suffix) or OTHER
