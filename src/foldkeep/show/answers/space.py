"""Where the space goes."""

import shlex
from collections.abc import Sequence
from typing import NamedTuple

from foldkeep.find.coverage import BinContents
from foldkeep.find.space import LEAST_FREE, Part, ServerSpace, Usage, VolumeSpace
from foldkeep.model import StockFile, visible
from foldkeep.model.units import format_size

from ..page.documents import Document, file_document, path_document
from ..page.files import write_files
from ..page.lines import NOTHING_FITS, write_rest
from ..page.page import CARE, GAIN, QUIET, STRONG, Page
from ..page.tables import Column
from ..page.words import owner_name
from .bin import bin_totals, bin_words

_BAR = 24
_BLOCK_BYTES = 4096  # what file systems round up to; smaller differences are not worth a column


class SpaceAnswer(NamedTuple):
    """Answer of `space`; `largest` and `drawn` where they are asked for, `bins` as far as sizes tell."""

    usage: Usage
    by: str
    volumes: Sequence[VolumeSpace]
    largest: Sequence[StockFile]
    top: int | None
    drawn: Sequence[str]
    bins: BinContents | None = None
    servers: Sequence[ServerSpace] = ()

    def document(self) -> Document:
        """Return the JSON document."""
        return {
            "command": "space",
            "by": self.by,
            "volumes": [
                {
                    "key": each.volume.key,
                    "name": each.volume.name,
                    "bytes": each.total,
                    "free": each.free,
                    "too_much": each.too_much,
                }
                for each in self.volumes
            ],
            "servers": [
                {
                    **path_document(each.place.path),
                    "used": each.quota.used,
                    "available": each.quota.available,
                    "known": each.known,
                }
                for each in self.servers
            ],
            "parts": [_part_document(part) for part in self.usage.parts],
            "total": _part_document(self.usage.total),
            "largest": [file_document(file) for file in self.largest],
            "drawn": list(self.drawn),
            "bins": bin_totals(self.bins) if self.bins else None,
        }

    def write(self, page: Page) -> None:
        """Write it for people."""
        _write_volumes(page, self.volumes)
        for each in self.servers:
            _write_server(page, each)
        if self.bins and (self.bins.found or self.bins.others):
            page.line(f"Bins: {bin_words(self.bins.found)}; ", page.command("foldkeep bin"), " lists them")
        if self.volumes or self.servers:
            page.line()
        _write_usage(page, self.usage, self.by, self.top)
        if self.largest:
            page.heading("Largest files")
            write_files(page, self.largest)
        for path in self.drawn:
            page.line(f"Drawn: {path}")


def _write_volumes(page: Page, volumes: Sequence[VolumeSpace]) -> None:
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
            on = f" --volume {shlex.quote(visible(each.volume.name))}" if len(volumes) > 1 else ""
            page.line("plan it:  ", page.command(f"foldkeep room --until-free {LEAST_FREE:.0%}{on}"), indent=4)


def _write_server(page: Page, each: ServerSpace) -> None:
    """Write what a server says of its space, and what of that nothing in the places explains."""
    used, free = each.quota.used, each.quota.available
    words = [f"{format_size(free)} free" if free is not None else "free space not told"]
    if used is not None:
        words.append(f"{format_size(used)} taken")
    if used is not None and free is not None and used + free:
        words[0] = f"{format_size(free)} of {format_size(used + free)} free ({free / (used + free):.0%})"
        words = words[:1]
    page.line(
        (visible(each.place.path), STRONG), f": {', '.join(words)}  ",
        (_bar(page, used / (used + free)) if used is not None and free is not None and used + free else "", QUIET),
    )  # fmt: skip
    if each.unknown > max(_BLOCK_BYTES, each.known // 50):
        page.line(
            (
                f"{format_size(each.unknown)} of what is taken lies outside of your places: in other folders, earlier "
                "versions, or a bin. What is released there may come free only when that is emptied.",
                QUIET,
            ),
            indent=2,
        )


def _write_usage(page: Page, usage: Usage, by: str, top: int | None) -> None:
    """Write parts with their share of all, the first `top` of them."""
    if not usage.total.files:
        page.line(NOTHING_FITS)
        return
    shown = usage.parts if top is None else usage.parts[:top]
    differs = any(_differs(part) for part in (*usage.parts, usage.total))
    whole = usage.total.bytes or 1
    columns = [Column(by, style=STRONG, path=by == "folder"), Column("files", True), Column("size", True)]
    columns += (
        [Column("on disk", True)] * differs
        + [Column("share", True)]
        + [Column("", style=GAIN, spare=1)] * page.terminal
    )
    rows = [_cells(page, part, by, differs, whole) for part in (*shown, usage.total)]
    page.table(columns, rows, total=True)
    write_rest(page, len(usage.parts), top)


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
