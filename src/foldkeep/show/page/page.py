"""The page that answers are written on: styled and fitted on a terminal, plain and whole in a pipe."""

from collections.abc import Iterable, Sequence
from typing import TYPE_CHECKING, TextIO

from .tables import Column, fitted_table, plain_table
from .wrapping import breaks

if TYPE_CHECKING:
    from rich.console import Console

Part = str | tuple[str, str]
"""A piece of a line: text, or text with a style."""

_LEAST_WIDTH, _RULE = 20, 100
STRONG, QUIET, GAIN, CARE, COMMAND = "bold", "dim", "green", "yellow", "cyan"


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
        self._is_blank = True

    def line(self, *parts: Part, indent: int = 0, hang: int | None = None) -> None:
        """Write one line; on a terminal a long one goes on below, further in: by `hang`, or 2 if it is indented."""
        if self._console is None:
            self._stream.write(" " * indent + "".join(map(_words, parts)) + "\n")
            return
        from rich.text import Text

        self._is_blank = not any(map(_words, parts))
        further = (2 if indent else 0) if hang is None else hang
        text = Text.assemble(*parts)
        room = max(_LEAST_WIDTH, self._console.width - indent)
        for number, piece in enumerate(text.divide(breaks(text.plain, room, max(_LEAST_WIDTH, room - further)))):
            piece.rstrip()
            self._console.print(Text(" " * (indent + (further if number else 0))) + piece, soft_wrap=True)

    def verbatim(self, lines: Iterable[str]) -> None:
        """Write lines as they are, for programs to read; none is wrapped or styled."""
        self._stream.writelines(line + "\n" for line in lines)

    def heading(self, title: str) -> None:
        """Write a heading with an empty line above it."""
        self._stream.write("\n")
        self.line((title, STRONG))

    def rule(self, left: str, right: str) -> None:
        """Write a line that begins something: what it is at the left, how far it is at the right."""
        self._stream.write("\n")
        if self._console is None:
            self.line(f"{left}; {right}")
            return
        from rich.cells import cell_len

        width = min(self._console.width, _RULE)
        dashes = "─" * max(2, width - cell_len(left) - cell_len(right) - 8)
        self.line(("── ", QUIET), (left, STRONG), (f" {dashes} ", QUIET), right, (" ──", QUIET))

    def table(self, columns: Sequence[Column], rows: Iterable[Sequence[str]], total: bool = False) -> None:
        """Write a table with its titles; with `total`, the last row stands apart."""
        cells = [list(row) for row in rows]
        if self._console is None:
            self._stream.writelines(line + "\n" for line in plain_table(columns, cells))
            return
        for line in fitted_table(columns, cells, self._console.width, total=total):
            if line or not self._is_blank:
                self._console.print(line, soft_wrap=True)
            self._is_blank = not line


def _console(stream: TextIO, color: bool, width: int | None) -> "Console":
    from rich.console import Console

    return Console(file=stream, force_terminal=True, no_color=not color, width=width, highlight=False, markup=False)


def _words(part: Part) -> str:
    return part if isinstance(part, str) else part[0]
