"""What a scan looks at and what it passes by, decided by names alone."""

import re
from collections.abc import Callable, Collection, Iterable
from fnmatch import translate

from foldkeep.model import Settings
from foldkeep.model.bin_names import bin_above
from foldkeep.model.names import FOLD_NAME

_FOLD_NAME = FOLD_NAME.decode()
# Folders and files that systems make for themselves on every drive.
_SYSTEM_FOLDERS = frozenset(
    {"lost+found", "found.000", "$recycle.bin", "recycler", "recycled", "$extend", "system volume information",
     "wpsystem", "#recycle", "network trash folder", ".temporaryitems", ".trashes",
     ".spotlight-v100", ".fseventsd", ".documentrevisions-v100", ".mobilebackups"}
)  # fmt: skip
_SYSTEM_FILES = frozenset(
    {"thumbs.db", "ehthumbs.db", "desktop.ini", "pagefile.sys", "hiberfil.sys", "swapfile.sys", ".ds_store",
     ".volumeicon.icns", ".com.apple.timemachine.donotpresent", ".apdisk"}
)  # fmt: skip
_LAST_OF_SYSTEM_FILES = frozenset(
    char for name in _SYSTEM_FILES if name[0] != "." for char in (name[-1], name[-1].upper())
)


class Looking:
    """Decides for each name in a place why it is passed by, if it is.

    The reasons are the words of `foldkeep.model.ASKABLE`, ``ignored`` (by the settings) and ``size``.

    Attributes
    ----------
    settings, asked
        What is looked at everywhere, and what else here.
    apart
        Paths of places within this one: each is walked by itself, by its own rules.
    odd_ends, all_odd
        Last characters of the names that `passes_file` may say something of, besides those that begin with a dot;
        whether it may of every name.
    """

    odd_ends = _LAST_OF_SYSTEM_FILES

    def __init__(
        self, settings: Settings, asked: Iterable[str] = (), apart: Collection[bytes] = (), *, folds: bool = False
    ) -> None:
        self.settings = settings
        self.asked = frozenset(asked)
        self.apart = frozenset(apart)
        wanted = settings.asked | self.asked
        self._folds = folds
        self._hidden = "hidden" in wanted
        self._system = "system" in wanted
        self.volumes = "volumes" in wanted
        self._ignored_folders = frozenset(name for name in settings.ignore_folders if not name.startswith("/"))
        self._ignored_paths = frozenset(
            name.rstrip("/").encode("utf-8", "surrogateescape")
            for name in settings.ignore_folders
            if name.startswith("/")
        )
        bundles = () if "bundles" in wanted else settings.bundle_suffixes
        self._bundles = _any_glob(f"*?.{suffix}" for suffix in bundles)
        suffixes = [f"*?.{suffix}" for suffix in settings.ignore_suffixes]
        self._ignored_files = _any_glob([*settings.ignore_names, *suffixes])
        self.all_odd = self._ignored_files is not None
        self._least = settings.smallest
        self._most = settings.largest
        self.any_size = self._least == 0 and self._most is None

    def passes_folder(self, name: str, path: bytes) -> str | None:
        """Return why a folder is not entered, or None. Folds and places are passed by without a word: ``""``."""
        if (name == _FOLD_NAME and not self._folds) or path in self.apart:
            return ""
        if not self._system and (name.lower() in _SYSTEM_FOLDERS or bin_above(path + b"/files/x")):
            return "system"
        if name[0] == "." and not self._hidden:
            return "hidden"
        if name in self._ignored_folders or path in self._ignored_paths:
            return "ignored"
        if self._bundles is not None and self._bundles(name):
            return "bundles"
        return None

    def passes_file(self, name: str) -> str | None:
        """Return why a file of this name is left out, or None."""
        if not self._system and name.lower() in _SYSTEM_FILES:
            return "system"
        if name[0] == "." and not self._hidden:
            return "hidden"
        if self._ignored_files is not None and self._ignored_files(name):
            return "ignored"
        return None

    def passes_size(self, size: int) -> bool:
        """Tell whether a file of this size is left out."""
        return size < self._least or (self._most is not None and size > self._most)


def _any_glob(globs: Iterable[str]) -> Callable[[str], object] | None:
    patterns = [translate(glob) for glob in globs]
    return re.compile("|".join(patterns), re.IGNORECASE).match if patterns else None
