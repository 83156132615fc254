"""Folders that a program needs as they are: checkouts, packages of code, sites. What lies in them is nobody's spare."""

import os

from foldkeep.model.names import folders_above
from foldkeep.stock import Stock

_MANIFESTS = (
    "package.json", "pyproject.toml", "setup.py", "Cargo.toml", "go.mod", "pom.xml", "build.gradle", "composer.json",
    "Gemfile", "CMakeLists.txt", "project.godot",
)  # fmt: skip
_PAGES = ("index.html", "index.htm", "index.php")
_VERSION_CONTROL = (b".git", b".hg", b".svn", b".bzr")
_WHAT = {
    **dict.fromkeys(_MANIFESTS, "in a folder of code, which a program needs as it is"),
    **dict.fromkeys(_PAGES, "beside a web page, which shows it from there"),
}
_CHECKED_OUT = "in a checkout under version control"


class ProgramFolders:
    """Tells of files whether they lie in a folder that a program needs as it is, by what else lies there.

    The top of a place is none: somebody chose it as a library.
    """

    def __init__(self, stock: Stock) -> None:
        self._tops = {place.path for place in stock.places.all()}
        self._known: dict[bytes, str] = {}
        order = [name.encode() for name in _WHAT]
        for path in sorted(stock.listing.paths_named(*order), key=lambda path: order.index(os.path.basename(path))):
            self._known.setdefault(os.path.dirname(path), _WHAT[os.fsdecode(os.path.basename(path))])
        for top in self._tops:
            self._known[top] = ""

    def why(self, path: bytes) -> str:
        """Return why a file is left alone; empty if it is not."""
        folder = path.rpartition(b"/")[0] or b"/"
        known = self._known.get(folder)
        return self._of(folder) if known is None else known

    def _of(self, folder: bytes) -> str:
        asked, found = [], ""
        for step in (folder, *folders_above(folder)):
            if step in self._known:
                found = self._known[step]
                break
            asked.append(step)
            if _is_checkout(step):
                found = _CHECKED_OUT
                break
        self._known |= dict.fromkeys(asked, found)
        return found


def _is_checkout(folder: bytes) -> bool:
    """Tell whether a folder is under version control; that begins with a dot, so it is not in the stock."""
    return any(os.path.lexists(os.path.join(folder, name)) for name in _VERSION_CONTROL)
