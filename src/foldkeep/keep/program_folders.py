"""Folders that a program needs as they are: checkouts, packages of code, sites. What lies in them is nobody's spare."""

import os
import re

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
_SAVED = "part of a saved web page, which shows it from there"
_PAGE = re.compile(rb"\.x?html?\Z", re.IGNORECASE)
# Browsers call it "_files", "-Dateien", "_fichiers", and so on: a mark, and a word of letters.
_ENDING = re.compile(r"[ _.-]\w*[^\W\d_]")


def is_folder_of_page(folder: bytes, page: bytes) -> bool:
    """Tell whether a folder is called as browsers call those for the parts of a page that they save beside it."""
    stem = _PAGE.sub(b"", page)
    rest = folder[len(stem) :].decode("utf-8", "replace")
    return folder.startswith(stem) and _ENDING.fullmatch(rest) is not None and not re.search(r"\d", rest)


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
        self._pages: set[bytes] = set()
        self._add_saved_pages(stock)
        for top in self._tops:
            self._known[top] = ""

    def _add_saved_pages(self, stock: Stock) -> None:
        """Note the pages that a browser saved with a folder of their own, and those folders."""
        pages: dict[bytes, list[bytes]] = {}
        for path in stock.listing.web_pages():
            folder, name = os.path.split(path)
            if _PAGE.search(name):
                pages.setdefault(folder, []).append(name)
        folders = stock.listing.in_folders() if pages else ()
        for step in {step for folder in folders for step in (folder, *folders_above(folder))}:
            above, called = os.path.split(step)
            for page in pages.get(above, ()):
                if is_folder_of_page(called, page):
                    self._known[step] = _SAVED
                    self._pages.add(os.path.join(above, page))

    def why(self, path: bytes) -> str:
        """Return why a file is left alone; empty if it is not."""
        if path in self._pages:
            return _SAVED
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
