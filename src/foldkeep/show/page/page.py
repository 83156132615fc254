"""The page that answers are written on: styled and fitted on a terminal, plain and whole in a pipe."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING, TextIO

if TYPE_CHECKING:
    from rich.console import Console
    from rich.text import Text

Part = str | tuple[str, str]
"""A piece of a line: text, or text with a style."""

STRONG, QUIET, GAIN, CARE, COMMAND = "bold", "dim", "green", "yellow", "cyan"


@dataclass(frozen=True, slots=True)
class Column:
    """A column of a table; `numbers` stand on the right, `style` is for its cells, `whole` ones are never broken."""

    title: str
    numbers: bool = False
    style: str = ""
    whole: bool = False


class Page:
    """Writes lines and tables.

    What is written must already be visible text: names go through `foldkeep.model.visible` first.

    Parameters
    ----------
    terminal
        Fit to its width; otherwise nothing is wrapped, cut or drawn around.
    color
        Use styles.
    width
        Characters a line on the terminal; asked of the terminal when None.
    """

    def __init__(self, stream: TextIO, *, terminal: bool, color: bool, width: int | None = None) -> None:
        self._stream = stream
        self.terminal = terminal
        self._console = _console(stream, color, width) if terminal else None

    def line(self, *parts: Part, indent: int = 0) -> None:
        """Write one line; on a terminal a long one goes on below, further in."""
        if self._console is None:
            self._stream.write(" " * indent + "".join(map(_words, parts)) + "\n")
            return
        from rich.padding import Padding

        hang = 2 if indent else 0
        text = _text(parts)
        if text.cell_len + indent <= self._console.width:
            hang = 0
        for number, piece in enumerate(_pieces(text, self._console, indent, hang)):
            self._console.print(Padding(piece, (0, 0, 0, indent + (hang if number else 0))), soft_wrap=True)

    def heading(self, title: str) -> None:
        """Write a heading with an empty line above it."""
        self._stream.write("\n")
        self.line((title, STRONG))

    def table(self, columns: Sequence[Column], rows: Iterable[Sequence[str]], total: bool = False) -> None:
        """Write a table with its titles; with `total`, the last row stands apart."""
        cells = [list(row) for row in rows]
        if self._console is None:
            _plain_table(self._stream, columns, cells)
            return
        from rich import box
        from rich.table import Table
        from rich.text import Text

        table = Table(box=box.SIMPLE_HEAD, pad_edge=False, header_style=STRONG, show_edge=False)
        for column in columns:
            table.add_column(
                column.title,
                justify="right" if column.numbers else "left",
                style=column.style,
                overflow="fold",
                no_wrap=column.numbers or column.whole,
            )
        for number, row in enumerate(cells):
            if total and number == len(cells) - 1 and number:
                table.add_section()
            table.add_row(*map(Text, row))
        self._console.print(table)


def _console(stream: TextIO, color: bool, width: int | None) -> "Console":
    from rich.console import Console

    return Console(file=stream, force_terminal=True, no_color=not color, width=width, highlight=False, markup=False)


def _words(part: Part) -> str:
    return part if isinstance(part, str) else part[0]


def _text(parts: Sequence[Part]) -> "Text":
    from rich.text import Text

    return Text.assemble(*parts, no_wrap=False, overflow="fold")


def _pieces(text: "Text", console: "Console", indent: int, hang: int) -> "Iterable[Text]":
    return text.wrap(console, max(20, console.width - indent - hang), overflow="fold")


def _plain_table(stream: TextIO, columns: Sequence[Column], rows: list[list[str]]) -> None:
    lines = [[column.title for column in columns], *rows]
    widths = [max(len(line[at]) for line in lines) for at in range(len(columns))]
    for line in lines:
        cells = [
            cell.rjust(width) if column.numbers else cell.ljust(width)
            for cell, width, column in zip(line, widths, columns, strict=True)
        ]
        stream.write("  ".join(cells).rstrip() + "\n")
