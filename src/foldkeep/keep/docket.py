"""Dockets as files: CSV that a person can read, sort and change in a spreadsheet."""

import json
from collections.abc import Callable, Iterable, Iterator
from contextlib import contextmanager
from io import TextIOWrapper

from blake3 import blake3

from foldkeep.formats import opened_file
from foldkeep.formats.own import new_file, read_table, rewritten, write_new_file, write_table
from foldkeep.model import Action, DocketRow, UnusableInput, visible
from foldkeep.model.files import format_digest, parse_digest
from foldkeep.model.machines import is_elsewhere
from foldkeep.model.names import file_uri, path_from_uri
from foldkeep.model.units import format_moment, parse_moment
from foldkeep.model.work import reason_of
from foldkeep.stock import Stock

_ACTIONS = {str(action): action for action in Action}
COLUMNS = ("set", "action", "path", "size", "kind", "modified", "digest", "reason", "uri")
ORIGIN = "from"
"""A further column: the docket of which a sheet was made that this one was saved from, and its digest."""


def write_docket(path: str, rows: Iterable[DocketRow]) -> str:
    """Write a docket and return where: `path`, or a free name beside it if that one is taken.

    Raises UnusableInput if it cannot be written.

    Examples
    --------
    >>> import foldkeep
    >>> with foldkeep.open_stock("stock.sqlite3", create=True) as stock:
    ...     _ = foldkeep.scan_places(stock, "Pictures")
    ...     foldkeep.write_docket("docket.csv", foldkeep.choose_keepers(stock))
    'docket.csv'
    """
    return write_new_file(path, COLUMNS, map(_cells, rows))


@contextmanager
def open_docket(path: str) -> Iterator[tuple[str, Callable[[Iterable[DocketRow]], None]]]:
    """Begin a docket that is written piece by piece, and give where it lies and a function that writes rows.

    Raises UnusableInput as `write_docket` does.
    """
    with new_file(path) as (target, stream), TextIOWrapper(stream, encoding="utf-8", newline="") as text:
        write_table(text, COLUMNS, ())
        yield target, lambda rows: write_table(text, None, map(_cells, rows))


def rewrite_docket(path: str, rows: Iterable[DocketRow], origin: str = "", note: Callable[[str], object] = str) -> None:
    """Write a docket over one that `write_docket` made, all or nothing; raise UnusableInput if it cannot be written.

    Parameters
    ----------
    origin
        What it says of the docket that it comes from; empty if nothing.
    note
        Called with the file that has all of it, right before that takes the other's place.
    """
    more = (ORIGIN,) if origin else ()
    with rewritten(path) as stream, TextIOWrapper(stream, encoding="utf-8", newline="") as text:
        write_table(text, (*COLUMNS, *more), ([*_cells(row), *(origin for _ in more)] for row in rows))
        text.flush()
        note(stream.name)


def origin_of(path: str) -> str | None:
    """Return what a docket says of the one that it comes from, empty if nothing.

    None if it has columns of another program, or separates them otherwise than we do.
    """
    with TextIOWrapper(opened_file(path), encoding="utf-8", newline="") as stream:
        if stream.readline() == ",".join(COLUMNS) + "\r\n":
            return ""
        stream.seek(0)
        if stream.readline() != ",".join([*COLUMNS, ORIGIN]) + "\r\n":
            return None
        stream.seek(0)
        first = next((cells for _, cells in read_table(stream, (ORIGIN,))), {ORIGIN: ""})
        return first[ORIGIN]


def read_docket(path: str) -> list[DocketRow]:
    """Read a docket, as it was written or as a person changed it.

    What counts is `uri`; the visible path, the kind and the reason may say anything.

    Raises
    ------
    UnusableInput
        If it is not there, is no docket, or a row does not say clearly what is meant.

    Examples
    --------
    >>> import foldkeep
    >>> with foldkeep.open_stock("stock.sqlite3", create=True) as stock:
    ...     _ = foldkeep.scan_places(stock, "Pictures")
    ...     _ = foldkeep.write_docket("docket.csv", foldkeep.choose_keepers(stock))
    >>> [str(row.action) for row in foldkeep.read_docket("docket.csv")]
    ['keep', 'fold']
    """
    try:
        with TextIOWrapper(opened_file(path), encoding="utf-8", newline="") as stream:
            rows = []
            for line, cells in read_table(stream, COLUMNS):
                try:
                    rows.append(_row(cells))
                except ValueError as error:
                    raise ValueError(f"line {line}: {error}") from error
            return rows
    except OSError as error:
        raise UnusableInput(
            f"cannot read the docket {visible(path)}: {reason_of(error)}", "name one that `keep -o` wrote"
        ) from error
    except ValueError as error:
        why = "it is not UTF-8 text" if isinstance(error, UnicodeDecodeError) else str(error)
        raise UnusableInput(
            f"{visible(path)} is not a docket: {visible(why)}", "make one with: foldkeep keep -o docket.csv"
        ) from error


def read_choices(path: str) -> list[DocketRow]:
    """Read a docket in which a person chooses what stays, as `read_docket` does.

    Raises UnusableInput also if it is one that copies or heals: there is nothing to choose.
    """
    rows = read_docket(path)
    other = next((row.action for row in rows if row.action in (Action.COPY, Action.HEAL)), None)
    if other:
        into = " --to DIR" if other is Action.COPY else ""
        raise UnusableInput(
            f"{visible(path)} has rows to {other}, of which nobody has to choose what stays",
            f"look at it in a spreadsheet, then: foldkeep fold {visible(path)} --method {other}{into}",
        )
    return rows


def rows_by_set(rows: Iterable[DocketRow]) -> dict[str, list[DocketRow]]:
    """Return the rows of each set of a docket, sets and rows in its order."""
    sets: dict[str, list[DocketRow]] = {}
    for row in rows:
        sets.setdefault(row.set, []).append(row)
    return sets


def current_rows(stock: Stock, rows: Iterable[DocketRow]) -> list[DocketRow]:
    """Return rows with the paths that their files have now, where a drive is mounted elsewhere than it was."""
    rows = list(rows)
    now = stock.places.paths_now(row.path for row in rows)
    return [row if row.path == path else row._replace(path=path) for row, path in zip(rows, now, strict=True)]


def docket_digest(rows: Iterable[DocketRow]) -> bytes:
    """Return the digest of what a docket says, whatever program saved it: of its rows but for words and their order."""
    said = sorted(
        (row.set, str(row.action), file_uri(row.path), row.size, row.modified_ns, (row.digest or b"").hex())
        for row in rows
    )
    return blake3(json.dumps(said).encode()).digest()


def _cells(row: DocketRow) -> list[str]:
    return [
        row.set,
        row.action,
        visible(row.path),
        str(row.size),
        row.kind,
        format_moment(row.modified_ns),
        format_digest(row.digest) if row.digest else "",
        row.reason,
        file_uri(row.path),
    ]


def _row(cells: dict[str, str]) -> DocketRow:
    action = _ACTIONS.get(cells["action"].strip().lower())
    if action is None:
        raise ValueError(f"action {cells['action'].strip().lower()!r} is none of {', '.join(Action)}")
    set_ = cells["set"].strip()
    if not set_:
        raise ValueError("the set is empty")
    if not cells["size"].strip().isdecimal():
        raise ValueError(f"size {cells['size']!r} is not a number of bytes")
    digest = cells["digest"].strip()
    path = path_from_uri(cells["uri"].strip(), elsewhere=True)
    if is_elsewhere(path) and action is not Action.KEEP:
        raise ValueError(f"{visible(path)} is on another machine, so it can only stay")
    return DocketRow(
        set_,
        action,
        path,
        int(cells["size"]),
        cells["kind"],
        parse_moment(cells["modified"]),
        parse_digest(digest) if digest else None,
        cells["reason"],
    )
