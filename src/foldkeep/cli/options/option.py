"""Options as data: the parser is made from it, and so are the manual and the completion of a shell."""

import argparse
from collections.abc import Callable, Iterable
from enum import StrEnum
from functools import partial
from typing import Any, NamedTuple

from foldkeep.model.reminders import parse_period
from foldkeep.model.units import parse_age, parse_share, parse_size, parse_span, parse_time_of_day

EVERYWHERE = "everywhere"
RARELY = "rarely needed"


class Takes(StrEnum):
    """Kinds of value that an option or a position takes; each can be completed in a way of its own."""

    NOTHING = "nothing"
    NUMBER = "number"
    SIZE = "size"
    RATE = "rate"
    AGE = "age"
    WORD = "word"
    GLOB = "glob"
    FILE = "file"
    FOLDER = "folder"
    DOCKET = "docket"
    INVENTORY = "inventory"
    PACKAGE = "package"
    PLACE = "place"
    CATALOG = "catalog"
    RUN = "run"
    KIND = "kind"
    SPAN = "span"
    PORTION = "portion"
    TIME = "time of day"
    TOPIC = "topic"
    RECIPE = "recipe"
    PERIOD = "time between reminders"


class Option(NamedTuple):
    """An option, or a position if its name has no dash.

    Attributes
    ----------
    name
        As it is typed; of a position what it is called in the program.
    help
        One line that says what it does or is.
    takes, metavar, choices, default
        The kind of its value, the word that stands for it, which words are allowed, what is there if nothing is said.
    words
        How many words its value is, which are taken together.
    several
        May be given again, or stand several times.
    required
        Must be given; a position stands unless it is `optional`.
    opposite
        Has a `--no-…` as well.
    to
        The name of its value in the program, if that is another.
    group, instead
        The heading under which the help lists it; the name of a group of which just one may be given.
    rare
        Few need it: the help lists it near its end.
    short
        A letter with its dash, for what is typed daily.
    former
        Names that it had before, which go on working and are told nowhere.
    hidden
        It goes on working, and is told nowhere: another command has it now.
    least
        The smallest number that it takes.
    """

    name: str
    help: str = ""
    takes: Takes = Takes.NOTHING
    metavar: str = ""
    choices: tuple[str, ...] = ()
    default: object = None
    words: int = 1
    several: bool = False
    required: bool = False
    optional: bool = False
    opposite: bool = False
    to: str = ""
    group: str = ""
    instead: str = ""
    rare: bool = False
    short: str = ""
    former: tuple[str, ...] = ()
    hidden: bool = False
    least: int = 0

    @classmethod
    def top(cls, words: str) -> "Option":
        """Return the option that limits a list, with the help that a command gives it; 0 lists nothing."""
        return cls("--top", words, Takes.NUMBER, "N", short="-n")

    @property
    def heading(self) -> str:
        """The heading under which the help lists it; empty for the usual options."""
        return RARELY if self.rare else self.group

    @property
    def is_position(self) -> bool:
        """Tell whether it is known by where it stands."""
        return not self.name.startswith("-")


def in_order(options: Iterable[Option]) -> list[Option]:
    """Return options as the help lists them: heading by heading, what few need and what is everywhere last."""
    headings = dict.fromkeys(["", *(option.heading for option in options)])
    last = [heading for heading in (RARELY, EVERYWHERE) if heading in headings]
    order = [heading for heading in headings if heading not in last] + last
    return sorted(options, key=lambda option: order.index(option.heading))


def usage_of(options: Iterable[Option]) -> str:
    """Return what stands behind a command, as its help says it in one line."""
    words = ["[options]"]
    for option in options:
        if option.is_position:
            word = option.metavar or ("{" + ",".join(option.choices) + "}" if option.choices else option.name.upper())
            word += " …" if option.several else ""
            words.append(f"[{word}]" if option.optional else word)
    return " ".join(words)


def add_options(parser: argparse.ArgumentParser, options: Iterable[Option]) -> None:
    """Add options to a parser, in their order and under their headings."""
    groups: dict[str, Any] = {"": parser}
    choices: dict[str, Any] = {}
    for option in in_order(tuple(options)):
        if option.heading not in groups:
            groups[option.heading] = parser.add_argument_group(option.heading)
        there = groups[option.heading]
        if option.instead:
            if option.instead not in choices:
                choices[option.instead] = there.add_mutually_exclusive_group(required=option.required)
            there = choices[option.instead]
        named = _arguments(option)
        names = [option.short, option.name] if option.short else [option.name]
        if option.hidden:
            named["help"] = argparse.SUPPRESS
        if option.short or option.former:
            named.setdefault("dest", option.name.lstrip("-").replace("-", "_"))
        there.add_argument(*names, **named)
        if option.former:
            hidden = {"help": argparse.SUPPRESS, "default": argparse.SUPPRESS, "required": False}
            there.add_argument(*option.former, **named | hidden)


def _arguments(option: Option) -> dict[str, Any]:
    """Return what argparse is told of an option."""
    named: dict[str, Any] = {"help": option.help or None}
    if option.to:
        named["dest"] = option.to
    if option.takes is Takes.NOTHING:
        return named | {"action": argparse.BooleanOptionalAction if option.opposite else "store_true"}
    if option.metavar:
        named["metavar"] = option.metavar
    if option.choices:
        named["choices"] = option.choices
    if option.takes is Takes.NUMBER:
        named["type"] = _typed(partial(_number, least=option.least))
    elif option.takes in _CONVERTED:
        named["type"] = _CONVERTED[option.takes]
    if option.words > 1:
        named["nargs"] = option.words
    if option.is_position:
        many = ("*" if option.optional else "+") if option.several else ("?" if option.optional else None)
        return named | ({"nargs": many} if many else {})
    if option.several:
        return named | {"action": "append", "default": []}
    if option.required and not option.instead:
        named["required"] = True
    return named | {"default": option.default}


def _number(text: str, least: int = 0) -> int:
    try:
        number = int(text)
    except ValueError:
        raise ValueError(f"not a number: {text!r}") from None
    if number < least:
        raise ValueError(f"{number} is too small; write {least} or more")
    return number


def _typed(parse: Callable[[str], Any]) -> Callable[[str], Any]:
    """Return an argument type that reports a ValueError of `parse` in its own words."""

    def convert(text: str) -> Any:
        try:
            return parse(text)
        except ValueError as error:
            raise argparse.ArgumentTypeError(str(error)) from error

    return convert


def _checked(parse: Callable[[str], Any]) -> Callable[[str], str]:
    """Return an argument type that takes a text as it is, if `parse` understands it."""
    understand = _typed(parse)

    def check(text: str) -> str:
        understand(text)
        return text

    return check


_CONVERTED: dict[Takes, Callable[[str], Any]] = {
    Takes.RUN: _typed(_number),
    Takes.SIZE: _typed(parse_size),
    Takes.RATE: _typed(lambda text: parse_size(text.removesuffix("/s"))),
    Takes.AGE: _typed(parse_age),
    Takes.SPAN: _typed(parse_span),
    Takes.PORTION: _typed(parse_share),
    Takes.TIME: _checked(parse_time_of_day),
    Takes.PERIOD: _checked(parse_period),
}
