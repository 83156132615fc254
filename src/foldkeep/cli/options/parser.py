"""The argument parser that every command shares: help that fits, and errors of one line."""

import argparse
from collections.abc import Iterable
from typing import Any, NoReturn

from ..environment import Environment, ExitStatus
from ..filling import filled

_WIDEST_HELP = 100
_LEAST_BEGUN = 3


class _Formatter(argparse.HelpFormatter):
    """Fills paragraphs to the width of the terminal; where a line is indented, lines stay, and go on below it."""

    def _fill_text(self, text: str, width: int, indent: str) -> str:  # noqa: ARG002
        return filled(text, width + 2)  # argparse leaves two columns free


class Parser(argparse.ArgumentParser):
    """An argument parser that writes to the streams of an `Environment`."""

    def __init__(self, *, environment: Environment, **named: Any) -> None:
        self._environment = environment
        width = max(40, min(environment.width(2), _WIDEST_HELP) - 2)
        super().__init__(
            formatter_class=lambda prog: _Formatter(prog, max_help_position=26, width=width),
            allow_abbrev=False,
            **named,
        )
        self._positionals.title = "arguments"

    def error(self, message: str) -> NoReturn:
        """Write one line and end with the status of wrong usage."""
        from foldkeep.model import visible

        advice = "" if "; did you mean " in message else f"; see {self.prog} --help"
        self.exit(ExitStatus.UNUSABLE, f"{self.prog}: {visible(message.removeprefix('argument '))}{advice}\n")

    def parse_args(self, args: Any = None, namespace: Any = None) -> Any:
        """Parse a command line; of a word that is no option, name the one that is nearest to it."""
        found, strange = self.parse_known_args(args, namespace)
        if strange:
            word = strange[0].partition("=")[0]
            if word.startswith("-"):
                self.error(f"there is no option {word}{self._near(word, self._option_string_actions)}")
            self.error(f"{strange[0]} is one word too many")
        return found

    def _check_value(self, action: argparse.Action, value: Any) -> None:
        if action.choices is not None and value not in action.choices:
            known = list(map(str, action.choices))
            what = f"{value} is none of {', '.join(known)}{self._near(str(value), known)}"
            raise argparse.ArgumentError(action, what)

    def _near(self, word: str, known: Iterable[str]) -> str:
        from foldkeep.model.spelling import nearest

        # The beginning of a word counts for more than its length: --larger means --larger-than.
        begun = (each for each in known if len(word) > _LEAST_BEGUN and each.startswith(word))
        near = next(begun, "") or nearest(word, known)
        return f"; did you mean {near}?" if near else ""

    def _print_message(self, message: str, file: Any = None) -> None:
        # argparse hands in sys.stderr for errors and None or sys.stdout for answers.
        import sys

        stream = self._environment.stderr if file is sys.stderr else self._environment.stdout
        stream.write(message)
