"""The argument parser that every command shares: help that fits, and errors of one line."""

import argparse
import os
from typing import Any, NoReturn

from ..environment import Environment, ExitStatus

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


def _terminal_width(environment: Environment) -> int:
    # Given by hand, or argparse imports shutil to find it out, which takes as long as all the rest.
    columns = environment.variables.get("COLUMNS", "")
    try:
        width = int(columns) if columns.isdecimal() else os.get_terminal_size(2).columns
    except OSError:
        width = 80
    return max(40, min(width, _WIDEST_HELP) - 2)
