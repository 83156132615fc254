"""The page that answers are written on: styled and fitted on a terminal, plain and whole in a pipe."""

from collections.abc import Iterable, Sequence
from typing import TYPE_CHECKING, Literal, TextIO

from .tables import Column, fitted_table, plain_table
from .wrapping import breaks, isolated

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
        Use colours.
    styled
        The terminal understands styles at all.
    width
        Characters a line on the terminal; asked of the terminal when None.
    """

    def __init__(
        self, stream: TextIO, *, terminal: bool, color: bool, width: int | None = None, styled: bool = True
    ) -> None:
        self._stream = stream
        self.terminal = terminal
        self._console = _console(stream, color, width, styled) if terminal else None
        self._dash = _dash(stream)
        self._is_blank = True

    def line(self, *parts: Part, indent: int = 0, hang: int | None = None) -> None:
        """Write one line; on a terminal a long one goes on below, further in: by `hang`, or 2 if it is indented."""
        if self._console is None:
            self._stream.write(" " * indent + "".join(map(_words, parts)) + "\n")
            return
        from rich.text import Text

        self._is_blank = not any(map(_words, parts))
        further = (2 if indent else 0) if hang is None else hang
        text = Text.assemble(*(_isolated(part) for part in parts))
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
        dash = self._dash
        dashes = dash * max(2, width - cell_len(left) - cell_len(right) - 8)
        self.line((f"{dash * 2} ", QUIET), (left, STRONG), (f" {dashes} ", QUIET), right, (f" {dash * 2}", QUIET))

    def table(self, columns: Sequence[Column], rows: Iterable[Sequence[str]], total: bool = False) -> None:
        """Write a table with its titles; with `total`, the last row stands apart."""
        cells = [list(row) for row in rows]
        if self._console is None:
            self._stream.writelines(line + "\n" for line in plain_table(columns, cells))
            return
        cells = [[isolated(cell) for cell in row] for row in cells]
        for line in fitted_table(columns, cells, self._console.width, total=total, dash=self._dash):
            if line or not self._is_blank:
                self._console.print(line, soft_wrap=True)
            self._is_blank = not line


def _console(stream: TextIO, color: bool, width: int | None, styled: bool) -> "Console":
    from rich.console import Console

    system: Literal["auto"] | None = "auto" if styled else None
    return Console(
        file=stream, force_terminal=True, no_color=not color, width=width, highlight=False, markup=False,
        color_system=system,
    )  # fmt: skip


def _dash(stream: TextIO) -> str:
    """Return what rules are drawn with: a line, if the locale has one."""
    try:
        "─".encode(stream.encoding or "utf-8")
    except UnicodeEncodeError:
        return "-"
    return "─"


def _isolated(part: Part) -> Part:
    return isolated(part) if isinstance(part, str) else (isolated(part[0]), part[1])


def _words(part: Part) -> str:
    return part if isinstance(part, str) else part[0]
