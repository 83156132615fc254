"""The page that answers are written on: styled and fitted on a terminal, plain and whole in a pipe."""

import re
from collections.abc import Iterable, Iterator, Sequence
from contextlib import contextmanager
from typing import TYPE_CHECKING, Literal, TextIO, TypeVar

from foldkeep.model import PathBytes, visible
from foldkeep.model.names import common_folder, lies_below
from foldkeep.model.remote import is_remote

from .tables import Column, fitted_table, plain_table
from .wrapping import breaks, isolated

if TYPE_CHECKING:
    from rich.console import Console

_T = TypeVar("_T")
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
    home
        The user's home folder, which a terminal shows as ``~``; empty for none.
    stock
        The option that names the stock, as it is pasted, if the command line had one: numbers of runs and dockets
        mean others in another stock.
    """

    def __init__(
        self,
        stream: TextIO,
        *,
        terminal: bool,
        color: bool,
        width: int | None = None,
        styled: bool = True,
        home: str = "",
        stock: str = "",
    ) -> None:
        self._stream = stream
        self.terminal = terminal
        self._console = _console(stream, color, width, styled) if terminal else None
        self._dash = _dash(stream)
        self._is_blank = True
        self._home = _home_pattern(home) if terminal else None
        self._below = b""
        self._stock = f" {stock}" if stock else ""

    def command(self, line: str, style: str = COMMAND) -> tuple[str, str]:
        """Return a command line as it can be pasted: it asks the stock that this answer is from."""
        return line + self._stock, style

    def path(self, path: PathBytes) -> str:
        """Return a path as it is shown here: within `below` without the folder that was said, else whole."""
        if self._below and lies_below(path, self._below):
            return visible(path[len(self._below) + 1 :])
        return visible(path)

    def held(self, items: Iterable[_T]) -> Iterable[_T]:
        """Return items so that they can be gone through twice on a terminal, where they are few; else as they come."""
        return list(items) if self.terminal else items

    @contextmanager
    def below(self, paths: Iterable[PathBytes]) -> Iterator[None]:
        """Say once the folder that all paths lie in, which `path` leaves out in the block; a pipe has them whole."""
        shown = set(paths) if self.terminal else set[PathBytes]()
        self._below = self._common(shown)
        if self._below:
            all_ = "All but addresses" if any(map(is_remote, shown)) else "All"
            self.line((f"{all_} below ", QUIET), visible(self._below), (":", QUIET))
        try:
            yield
        finally:
            self._below = b""

    @staticmethod
    def _common(paths: Iterable[PathBytes]) -> PathBytes:
        """Return the folder that all paths lie in, if saying it once is shorter; else nothing."""
        here = {path for path in paths if not is_remote(path)}
        top = common_folder(path.rpartition(b"/")[0] for path in here) if len(here) > 1 else b""
        return top if top.count(b"/") > 1 else b""

    def line(self, *parts: Part, indent: int = 0, hang: int | None = None) -> None:
        """Write one line; on a terminal a long one goes on below, further in: by `hang`, or 2 if it is indented.

        A command is never broken, since it is pasted: one that does not fit stands on a line of its own.
        """
        if self._console is None:
            self._stream.write(" " * indent + "".join(map(_words, parts)) + "\n")
            return
        command = next((at for at, part in enumerate(parts) if _is_command(part)), None)
        if command is not None and self._is_long(parts, indent):
            self._write_command(self._console, parts, command, indent)
            return
        from rich.text import Text

        self._is_blank = not any(map(_words, parts))
        further = (2 if indent else 0) if hang is None else hang
        text = Text.assemble(*(self._shown(part) for part in parts))
        room = max(_LEAST_WIDTH, self._console.width - indent)
        for number, piece in enumerate(text.divide(breaks(text.plain, room, max(_LEAST_WIDTH, room - further)))):
            piece.rstrip()
            self._console.print(Text(" " * (indent + (further if number else 0))) + piece, soft_wrap=True)

    def _write_command(self, console: "Console", parts: Sequence[Part], at: int, indent: int) -> None:
        """Write a line with the command in it on a line of its own, that only the terminal may wrap."""
        from rich.text import Text

        if at:
            self.line(*parts[:at], indent=indent)
        console.print(Text.assemble(" " * (indent or 2), self._shown(parts[at])), soft_wrap=True)
        if rest := [part for part in parts[at + 1 :] if _words(part).strip(" .")]:
            self.line(*rest, indent=indent + 2)

    def _is_long(self, parts: Sequence[Part], indent: int) -> bool:
        from rich.cells import cell_len

        width = self._console.width if self._console else 0
        return indent + cell_len("".join(_words(self._shown(part)) for part in parts)) > width

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
        cells = [[self._shown_text(cell) for cell in row] for row in cells]
        for line in fitted_table(columns, cells, self._console.width, total=total, dash=self._dash):
            if line or not self._is_blank:
                self._console.print(line, soft_wrap=True)
            self._is_blank = not line

    def _shown(self, part: Part) -> Part:
        return self._shown_text(part) if isinstance(part, str) else (self._shown_text(part[0]), part[1])

    def _shown_text(self, text: str) -> str:
        """Return text with the home folder as ``~``, and words that run from right to left apart."""
        return isolated(self._home.sub("~", text) if self._home else text)


def _home_pattern(home: str) -> re.Pattern[str] | None:
    """Return a pattern for the home folder where a path begins; quoted ones stay, for a shell reads no ``~`` there."""
    home = visible(home.rstrip("/"))
    return re.compile(rf"(?<![^\s(]){re.escape(home)}(?=/|$|[\s,;:.)])") if len(home) > 1 else None


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


def _is_command(part: Part) -> bool:
    return not isinstance(part, str) and part[0].startswith("foldkeep ")


def _words(part: Part) -> str:
    return part if isinstance(part, str) else part[0]
