"""Where the space goes, as people read it."""

from collections.abc import Iterable, Sequence

from foldkeep.find.space import LEAST_FREE, Part, Usage, VolumeSpace
from foldkeep.model import StockFile, visible
from foldkeep.model.units import format_size

from .documents import Document, file_document, path_document
from .page import CARE, GAIN, QUIET, STRONG, Column, Page
from .words import count, local_time, owner_name

_BAR = 24
_BLOCK_BYTES = 4096  # what file systems round up to; smaller differences are not worth a column


def show_volumes(page: Page, volumes: Sequence[VolumeSpace]) -> None:
    """Write how full each volume is, and what must go where too little is free."""
    for each in volumes:
        share = each.free / each.total if each.total else 0
        page.line(
            (visible(each.volume.name), STRONG),
            f": {format_size(each.free)} of {format_size(each.total)} free ({share:.0%})  ",
            (_bar(page, 1 - share), CARE if each.too_much else QUIET),
        )
        if each.too_much:
            page.line(
                (f"! less than {LEAST_FREE:.0%} is free: {format_size(each.too_much)} must go to get there", CARE),
                indent=2,
            )


def show_usage(page: Page, usage: Usage, by: str, top: int | None) -> None:
    """Write parts with their share of all, the first `top` of them."""
    if not usage.total.files:
        page.line("No file that is known fits.")
        return
    shown = usage.parts if top is None else usage.parts[:top]
    differs = any(_differs(part) for part in (*usage.parts, usage.total))
    whole = usage.total.bytes or 1
    columns = [Column(by, style=STRONG), Column("files", True), Column("size", True)]
    columns += [Column("on disk", True)] * differs + [Column("share", True)] + [Column("", style=GAIN)] * page.terminal
    rows = [_cells(page, part, by, differs, whole) for part in (*shown, usage.total)]
    page.table(columns, rows, total=True)
    if len(shown) < len(usage.parts):
        page.line((f"… and {len(usage.parts) - len(shown):,} more; --top {len(usage.parts)} shows all", QUIET))


def _cells(page: Page, part: Part, by: str, differs: bool, whole: int) -> list[str]:
    name = owner_name(int(part.name)) if by == "owner" and str(part.name).isdecimal() else visible(part.name)
    cells = ["  " * part.depth + name, f"{part.files:,}", format_size(part.bytes)]
    cells += [format_size(part.disk)] * differs
    cells.append(f"{part.bytes / whole:.1%}")
    if page.terminal:
        cells.append(_bar(page, part.bytes / whole))
    return cells


def _differs(part: Part) -> bool:
    return abs(part.bytes - part.disk) > max(part.files * _BLOCK_BYTES, part.bytes // 50)


def _bar(page: Page, share: float) -> str:
    """Return a bar; nothing in a pipe."""
    if not page.terminal:
        return ""
    eighths = round(max(0.0, min(1.0, share)) * _BAR * 8)
    full, rest = divmod(eighths, 8)
    return "█" * full + (" ▏▎▍▌▋▊▉"[rest] if rest else "")


def show_files(page: Page, files: Iterable[StockFile]) -> None:
    """Write files one a line: size, when they were changed, where they are."""
    for file in files:
        page.line(
            (f"{format_size(file.size):>8}", GAIN),
            (f"  {local_time(file.modified_ns)}  ", QUIET),
            visible(file.path),
        )


def show_listed(page: Page, shown: int, files: int, size: int) -> None:
    """Write how many files there are in all, and how many of them were not listed."""
    if not files:
        page.line("No file that is known fits.")
        return
    if shown < files:
        page.line((f"… and {count(files - shown, 'file')} more; --top {files} shows all", QUIET))
    page.line((count(files, "file"), STRONG), f", {format_size(size)}.")


def show_empty_folders(page: Page, folders: Sequence[bytes]) -> None:
    """Write folders in which nothing lies."""
    page.heading(f"{count(len(folders), 'empty folder')}")
    for folder in folders:
        page.line(visible(folder), indent=2)


def usage_document(usage: Usage, by: str, volumes: Sequence[VolumeSpace], largest: Sequence[StockFile]) -> Document:
    """Return where the space goes."""
    return {
        "by": by,
        "volumes": [
            {
                "key": each.volume.key,
                "name": each.volume.name,
                "bytes": each.total,
                "free": each.free,
                "too_much": each.too_much,
            }
            for each in volumes
        ],
        "parts": [_part_document(part) for part in usage.parts],
        "total": _part_document(usage.total),
        "largest": [file_document(file) for file in largest],
    }


def _part_document(part: Part) -> Document:
    where = path_document(part.path) if part.path is not None else {}
    return {
        "name": visible(part.name),
        **where,
        "depth": part.depth,
        "files": part.files,
        "bytes": part.bytes,
        "disk_bytes": part.disk,
    }
