"""Lists of files and folders, one a line."""

from collections.abc import Callable, Iterable, Sequence

from foldkeep.model import StockFile
from foldkeep.model.units import format_size

from .page import CARE, GAIN, QUIET, Page
from .words import count, local_time


def write_files(page: Page, files: Iterable[StockFile], words: Callable[[StockFile], str] | None = None) -> None:
    """Write files one a line: size, when they were changed, where they are; below each what is to be said of it."""
    shown = page.held(files)
    with page.below(file.path for file in shown):
        for file in shown:
            page.line(
                (f"{format_size(file.size):>8}", GAIN),
                (f"  {local_time(file.modified_ns)}  ", QUIET),
                page.path(file.path),
                hang=10,
            )
            if words is not None:
                page.line((words(file), CARE), indent=10)


def write_empty_folders(page: Page, folders: Sequence[bytes]) -> None:
    """Write folders in which nothing lies."""
    page.heading(f"{count(len(folders), 'empty folder')}")
    with page.below(folders):
        for folder in folders:
            page.line(page.path(folder), indent=2)
