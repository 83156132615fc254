"""The argument parser that every command shares: help that fits, and errors of one line."""

import argparse
import os
from collections.abc import Callable
from typing import Any, NoReturn

from .environment import Environment, ExitStatus

_WIDEST_HELP = 100


class Parser(argparse.ArgumentParser):
    """An argument parser that writes to the streams of an `Environment`."""

    def __init__(self, *, environment: Environment, **named: Any) -> None:
        self._environment = environment
        width = _terminal_width(environment)
        super().__init__(
            formatter_class=lambda prog: argparse.RawDescriptionHelpFormatter(prog, max_help_position=26, width=width),
            allow_abbrev=False,
            **named,
        )

    def error(self, message: str) -> NoReturn:
        """Write one line and end with the status of wrong usage."""
        from foldkeep.model import visible

        self.exit(ExitStatus.UNUSABLE, f"{self.prog}: {visible(message)}; see {self.prog} --help\n")

    def _print_message(self, message: str, file: Any = None) -> None:
        # argparse hands in sys.stderr for errors and None or sys.stdout for answers.
        import sys

        stream = self._environment.stderr if file is sys.stderr else self._environment.stdout
        stream.write(message)


def typed(parse: Callable[[str], Any]) -> Callable[[str], Any]:
    """Return an argument type that reports a ValueError of `parse` in its own words."""

    def convert(text: str) -> Any:
        try:
            return parse(text)
        except ValueError as error:
            raise argparse.ArgumentTypeError(str(error)) from error

    return convert


def _terminal_width(environment: Environment) -> int:
    # Given by hand, or argparse imports shutil to find it out, which takes as long as all the rest.
    columns = environment.variables.get("COLUMNS", "")
    try:
        width = int(columns) if columns.isdecimal() else os.get_terminal_size(2).columns
    except OSError:
        width = 80
    return max(40, min(width, _WIDEST_HELP) - 2)


def add_common(parser: argparse.ArgumentParser) -> None:
    """Add the options that every command takes."""
    group = parser.add_argument_group("everywhere")
    group.add_argument("--stock", metavar="FILE", help="the stock to use (else FOLDKEEP_STOCK, else your own)")
    group.add_argument("--json", action="store_true", help="answer with one JSON document")
    group.add_argument("--quiet", action="store_true", help="no progress and no answer, only problems")
    group.add_argument("--no-color", action="store_true", help="no colours, also on a terminal")
    group.add_argument("--debug", action="store_true", help="of a fault of Fold Keep itself show all that tells of it")


def add_break_lock(parser: argparse.ArgumentParser) -> None:
    """Add the option of commands that hold places."""
    parser.add_argument(
        "--break-lock",
        action="store_true",
        help="take a place whose lock another computer left behind, or this one before it was started anew",
    )
