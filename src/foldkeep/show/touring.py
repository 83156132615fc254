"""The guided example as people read it."""

from foldkeep.model import visible

from .page import CARE, COMMAND, QUIET, STRONG, Page


def show_step(page: Page, words: str, line: str) -> None:
    """Write a step of the guided example: what it is for, and what a user would type."""
    if words:
        page.line()
        page.line((words, STRONG))
    page.line(("$ ", QUIET), (line, COMMAND))


def show_tour(page: Page, folder: str, files: int, unchanged: bool) -> None:
    """Write how the guided example ended."""
    page.line()
    if unchanged:
        page.line(f"All {files:,} files are what they were before: name, content, mode and time, each one compared.")
    else:
        page.line(("Something is not as it was before. That is a fault in Fold Keep: please tell us.", CARE))
    page.line(f"The library stays in {visible(folder)}: go on there, or delete the folder.")
