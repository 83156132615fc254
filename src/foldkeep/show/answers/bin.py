"""What lies in the desktop's bins."""

from collections.abc import Sequence
from typing import NamedTuple

from foldkeep.find.coverage import BinContents, Binned
from foldkeep.model import visible
from foldkeep.model.units import format_moment, format_size

from ..page.documents import Document, path_document, problem_documents
from ..page.lines import write_rest
from ..page.page import CARE, GAIN, QUIET, STRONG, Page
from ..page.words import agree, count, local_day

_MOST_ROWS = 8


class BinAnswer(NamedTuple):
    """Answer of `bin`; of the items the first `top`."""

    found: BinContents
    top: int | None

    def document(self) -> Document:
        """Return the JSON document."""
        return {
            "command": "bin",
            "items": [_item_document(each) for each in self.found.found],
            "totals": bin_totals(self.found),
            "others": [
                {**path_document(path), "files": files, "bytes": size}
                for path, (files, size) in self.found.others.items()
            ],
            "problems": problem_documents(self.found.problems),
        }

    def write(self, page: Page) -> None:
        """Write it for people."""
        found = self.found.found
        for each in found[: self.top]:
            _write_item(page, each)
        write_rest(page, len(found), self.top, "item")
        if found:
            page.line((count(len(found), "item"), STRONG), f" in bins, {_size(found)}{_last_words(found)}.")
            page.line(page.command("foldkeep release --bin"), "    deletes what has a copy elsewhere", indent=2)
        else:
            page.line("Nothing lies in the desktop's bins.")
        write_other_bins(page, self.found)


def write_other_bins(page: Page, found: BinContents) -> None:
    """Write the bins of other systems."""
    for path, (files, size) in found.others.items():
        page.line((f"{visible(path)}: {count(files, 'file')}, {format_size(size)}; its own system empties it.", QUIET))


def write_bin_question(page: Page, found: Sequence[Binned]) -> None:
    """Write what is to be deleted from bins, before anybody is asked."""
    for each in found[:_MOST_ROWS]:
        _write_item(page, each)
    if len(found) > _MOST_ROWS:
        page.line((f"… and {count(len(found) - _MOST_ROWS, 'item')} more", QUIET))
    page.line(f"In all {_size(found)}. What lies nowhere else is left; each file is read again before it goes.")
    page.line()


def bin_words(found: Sequence[Binned]) -> str:
    """Return in a few words what lies in bins."""
    return f"{count(len(found), 'item')}, {_size(found)}{_last_words(found)}"


def _write_item(page: Page, each: Binned) -> None:
    item = each.item
    when = local_day(item.deleted_ns) if item.deleted_ns else "no date   "
    page.line(
        (f"{format_size(item.size):>8}", GAIN), (f"  {when}  ", QUIET), visible(item.original or item.path), hang=10
    )
    if each.last:
        what = "lies nowhere else that is known"
        if item.is_folder:
            last = len(each.last)
            what = f"{count(last, 'file')} in it {agree(last, 'lies', 'lie')} nowhere else that is known"
        page.line((what, CARE), indent=22)


def _size(found: Sequence[Binned]) -> str:
    files = sum(len(each.item.files) for each in found)
    return f"{count(files, 'file')} ({format_size(sum(each.item.size for each in found))})"


def _last_words(found: Sequence[Binned]) -> str:
    last = sum(len(each.last) for each in found)
    return f"; {last:,} {agree(last, 'lies', 'lie')} nowhere else that is known" if last else ""


def bin_totals(contents: BinContents) -> Document:
    """Return what lies in bins, summed up."""
    found = contents.found
    return {
        "items": len(found),
        "files": sum(len(each.item.files) for each in found),
        "bytes": sum(each.item.size for each in found),
        "nowhere_else": sum(len(each.last) for each in found),
    }


def _item_document(each: Binned) -> Document:
    item = each.item
    return {
        **path_document(item.path),
        "original": path_document(item.original) if item.original else None,
        "deleted": format_moment(item.deleted_ns) if item.deleted_ns else None,
        "files": len(item.files),
        "size": item.size,
        "nowhere_else": [path_document(file.path) for file in each.last],
    }
