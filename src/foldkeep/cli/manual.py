"""The manual: a page a command, made from the options kept as data, in the macros of man(7)."""

import re
from collections.abc import Iterable, Iterator, Sequence
from importlib import import_module

from foldkeep import __version__

from .main import COMMANDS, GROUPS
from .options import COMMON, Option, in_order, usage_of
from .topics import DOCKETS, DRIVES, RULES, SAFETY, WORDS

_STATUSES = (
    ("0", "It is done."),
    ("1", "It is done, with problems that are listed, or something needs attention."),
    ("2", "The command line or a file cannot be used; nothing was changed."),
    ("3", "It stopped midway; the answer says what was changed, and what to do now."),
    ("130", "It was interrupted."),
)
_VARIABLES = (
    ("FOLDKEEP_STOCK", "The stock to use, in the place of your own."),
    ("NO_COLOR", "If it is set, nothing is coloured."),
    ("COLUMNS", "How wide a terminal is."),
)


def pages() -> dict[str, str]:
    """Return the pages of the manual: their text by the names of their files."""
    return {"foldkeep.1": _overview()} | {f"foldkeep-{name}.1": _page(name) for name in COMMANDS}


def _overview() -> str:
    lines = [
        *_head("foldkeep", "keep the right copy of photos, videos and music, and fold the rest away"),
        ".SH SYNOPSIS", ".B foldkeep", _italic("COMMAND"), "[options]",
        ".SH DESCRIPTION",
        _plain("Fold Keep finds copies of photos, videos and music by their content, picks the copy to keep and says"
               " why, and folds the rest away so that it can come back. Nothing is deleted until you release it."),
        ".PP",
        _plain("`foldkeep COMMAND --help` tells about a command in short, foldkeep-COMMAND(1) is its page."),
        ".SH COMMANDS",
    ]  # fmt: skip
    for title, group in GROUPS.items():
        lines += [
            f".SS {_plain(title.capitalize())}",
            *_terms((f"foldkeep {name}", words) for name, words in group.items()),
        ]
    lines += [".SH WORDS", *_terms(WORDS.items())]
    for title, texts in (("RULES", RULES), ("DOCKETS", DOCKETS), ("SAFETY", SAFETY), ("DRIVES", DRIVES)):
        lines += [f".SH {title}", "\n.PP\n".join(map(_plain, texts))]
    return _text([*lines, *_foot([])])


def _page(name: str) -> str:
    module = import_module(f"foldkeep.cli.commands.{name}")
    options = [option for option in in_order((*module.OPTIONS, *COMMON)) if not option.hidden]
    positions = [option for option in options if option.is_position]
    lines = [
        *_head(f"foldkeep-{name}", COMMANDS[name]),
        ".SH SYNOPSIS", f".B foldkeep {_plain(name)}", _plain(usage_of(module.OPTIONS)),
        ".SH DESCRIPTION", *_prose(module.__doc__ or ""),
    ]  # fmt: skip
    if positions:
        lines += [".SH ARGUMENTS", *_terms((_name_of(option), _help_of(option)) for option in positions)]
    lines.append(".SH OPTIONS")
    heading = ""
    for option in options:
        if option.is_position:
            continue
        if option.heading != heading:
            heading = option.heading
            lines.append(f".SS {_plain(heading.capitalize())}")
        lines += _terms([(_name_of(option), _help_of(option))])
    examples = [line.strip() for line in module.EXAMPLES.splitlines()[1:]]
    lines += [".SH EXAMPLES", ".EX", *map(_plain, examples), ".EE"]
    return _text([*lines, *_foot(["foldkeep"])])


def _head(name: str, words: str) -> list[str]:
    title = _plain(name.upper())
    return [
        f'.TH {title} 1 "" "Fold Keep {__version__}" "Fold Keep"',
        ".SH NAME",
        f"{_plain(name)} \\- {_plain(words)}",
    ]


def _foot(others: Sequence[str]) -> list[str]:
    lines = [".SH EXIT STATUS", *_terms(_STATUSES), ".SH ENVIRONMENT", *_terms(_VARIABLES)]
    if others:
        lines += [".SH SEE ALSO", ", ".join(f".BR {_plain(other)} (1)" for other in others)]
    return lines


def _terms(items: Iterable[tuple[str, str]]) -> Iterator[str]:
    for term, words in items:
        yield from (".TP", f".B {_plain(term)}", _plain(words))


def _name_of(option: Option) -> str:
    value = option.metavar or "|".join(option.choices)
    if option.is_position:
        return value or option.name.upper()
    ahead = f"{option.short}, " if option.short else ""
    name = ahead + option.name + (f", --no-{option.name[2:]}" if option.opposite else "")
    return (
        f"{name} {' '.join([value or option.name.lstrip('-').upper()] * option.words)}"
        if option.takes != "nothing"
        else name
    )


def _help_of(option: Option) -> str:
    return option.help.replace("%%", "%")


def _prose(text: str) -> Iterator[str]:
    """Yield paragraphs; what is indented, or a heading of that, keeps its lines."""
    for number, part in enumerate(text.strip().split("\n\n")):
        lines = part.split("\n")
        if number:
            yield ".PP"
        if any(line.startswith("  ") for line in lines):
            yield from (".EX", *map(_plain, lines), ".EE")
        else:
            yield _plain(" ".join(lines))


def _italic(text: str) -> str:
    return f"\\fI{_plain(text)}\\fR"


def _plain(text: str) -> str:
    """Return text that roff takes for nothing else: no escapes, no requests, and dashes that stay dashes."""
    escaped = text.replace("\\", "\\e").replace("-", "\\-").replace("`", "\\(ga").replace("'", "\\(aq")
    escaped = re.sub(r"\\\(ga(.+?)\\\(ga", r"\\fB\1\\fR", escaped)  # what is typed is bold
    escaped = escaped.replace("^", "\\(ha").replace("~", "\\(ti").replace('"', "\\(dq").replace("…", "\\&...")
    return "\\&" + escaped if escaped.startswith(".") else escaped


def _text(lines: Sequence[str]) -> str:
    return "\n".join(lines) + "\n"
