"""The command line as a whole: which command, how it ends."""

import importlib
import os
import sys
from typing import TYPE_CHECKING

from foldkeep import __version__

from .environment import Environment, ExitStatus

if TYPE_CHECKING:
    from argparse import Namespace
    from collections.abc import Sequence
    from types import ModuleType

GROUPS: dict[str, dict[str, str]] = {
    "every day": {
        "scan": "read folders and remember the files in them",
        "checkup": "look at everything, and tell what needs attention",
        "duplicates": "list the sets of files that have the same content",
        "keep": "choose the copy of each set to keep, say why, write a docket",
        "review": "look at a docket set by set, and change what it proposes",
        "sheet": "show all sets with pictures, to decide in a browser",
        "fold": "carry out a docket: move the spares into the fold",
        "unfold": "bring folded files back to where they were",
        "release": "delete folded files for good, which frees the space",
        "ledger": "show what was folded, brought back and released",
        "space": "show where the space goes, and draw a map of it",
        "show": "show all that is known about a file or a set",
    },
    "see what is there": {
        "places": "list known folders and drives, and change their roles",
        "list": "list known files by size, age, name or path",
        "alike": "find versions of one picture or recording, crops, bursts",
        "compare": "show what came, went or moved between two folders or drives",
        "coverage": "show what lies once only; tell whether a card may be formatted",
        "projects": "find projects, and which of them have gone quiet",
        "bin": "list what lies in the desktop's bins, and what lies nowhere else",
    },
    "choose what may go": {
        "orphans": "find files that a catalogue has lost track of",
        "caches": "find regenerable files: renders, proxies, caches",
        "room": "plan where room could come from, with the least regret",
    },
    "put away and bring back": {
        "archive": "pack a finished project so that anyone can verify it",
        "restore": "bring an archived project back",
        "inventory": "save what is known about a drive, for when it is away",
        "vouch": "read keepers here, so that another machine can fold its copies",
    },
    "look after": {
        "fixity": "read files again, and tell which are no longer what they were",
        "catalog": "remember catalogues of other programs, and check them",
        "remind": "have a check-up run now and then, and be told of it",
        "settings": "show the settings in force, or write a file of them",
        "completion": "have a shell complete commands, options and values",
        "guide": "go the usual way in one sitting, a question at a time",
        "demo": "try all of this on a made-up library",
    },
}
"""The commands by what a person wants, those of every day first. Each is a module of `commands`."""

COMMANDS = {name: words for group in GROUPS.values() for name, words in group.items()}

# What every command takes, said again here so that `foldkeep --help` need not import it.
_EVERYWHERE = ("--json", "-j", "--quiet", "-q", "--no-color", "--no-progress", "--debug")
_WITH_A_FILE = "--stock"

_FIRST = {
    "start": ("guide", "demo"),
    "find": ("scan", "duplicates", "alike", "space"),
    "decide": ("keep", "review", "sheet"),
    "act": ("fold", "unfold", "release", "ledger"),
    "regularly": ("checkup", "remind"),
}
"""The commands of the first screen of help, by what a person is about to do."""

_WORDS_FOR = {
    "status": "", "info": "", "verify": "ledger --verify", "config": "settings", "version": "--version",
    "undo": "unfold", "delete": "release", "remove": "fold", "clean": "caches", "history": "ledger", "log": "ledger",
    "find": "duplicates", "search": "list", "ls": "list", "add": "scan", "update": "scan", "trash": "bin",
    "backup": "coverage", "check": "checkup", "export": "inventory", "init": "scan", "docket": "ledger",
}  # fmt: skip
"""Words that people try, and the command that does what they mean; empty for `foldkeep` alone."""

_HELP = """\
Fold Keep finds copies of photos, videos and music, keeps the right one, and
folds the rest away so that it can come back. Nothing is deleted until you
release it.

{commands}

more: foldkeep help all; foldkeep COMMAND --help; foldkeep help TOPIC, which is
{topics}
"""
_HELP_ALL = """\
{commands}

`foldkeep COMMAND --help` tells more about each, `foldkeep help TOPIC` about
{topics}.
"""


def main(argv: "Sequence[str] | None" = None, environment: Environment | None = None) -> int:
    """Run one command line and return its exit status.

    Parameters
    ----------
    argv
        The words after ``foldkeep``; those of the process when None.
    environment
        Streams and variables; those of the process when None.
    """
    words = list(sys.argv[1:] if argv is None else argv)
    env = Environment() if environment is None else environment
    _make_encodable(env)
    try:
        status = run_words(words, env)
        env.stdout.flush()
        return int(status)
    except SystemExit as stop:  # argparse has written its help or its line
        return int(stop.code or 0)
    except KeyboardInterrupt as error:
        _answer_interrupt()
        told = str(error) or "what was done so far is kept"
        env.stderr.write(f"\nfoldkeep {words[0]}: interrupted; {told}\n")
        return ExitStatus.INTERRUPTED
    except BrokenPipeError:
        # The reader has seen enough. What is still buffered must not fail at exit.
        os.dup2(os.open(os.devnull, os.O_WRONLY), env.stdout.fileno())  # noqa: TID251
        return ExitStatus.DONE


def _answer_interrupt() -> None:
    from .interrupts import answer_interrupt

    answer_interrupt()


def run_words(words: list[str], env: Environment) -> int:
    if words[:2] == ["help", "all"]:
        env.stdout.write(_wrapped(_all_help(), env.width(2)))
        return ExitStatus.DONE
    if words[:1] == ["help"] and len(words) > 1:
        return _help(words[1], env)
    if not words:
        return _start(env)
    if words[0] in ("--help", "-h", "help"):
        env.stdout.write(_wrapped(_first_help(), env.width(2)))
        return ExitStatus.DONE
    if words[0] in ("--version", "-V"):
        env.stdout.write(f"foldkeep {__version__}\n")
        return ExitStatus.DONE
    words = _command_first(words)
    if words[0] not in COMMANDS:
        return _unknown(words, env)
    # Only the command that is asked for is imported, and argparse with it.
    from .options import COMMON, Parser, add_options, usage_of

    module = importlib.import_module(f"foldkeep.cli.commands.{words[0]}")
    prog = f"foldkeep {words[0]}"
    parser = Parser(
        environment=env,
        prog=prog,
        usage=f"{prog} {usage_of(module.OPTIONS)}",
        description=module.__doc__,
        epilog=module.EXAMPLES,
    )
    add_options(parser, (*module.OPTIONS, *COMMON))
    args = parser.parse_args(words[1:])
    args.words = words
    return _carry_out(words[0], module, args, env)


def _help(topic: str, env: Environment) -> int:
    """Write the help of a command, or a topic."""
    from .topics import TOPICS

    if topic in TOPICS:
        from argparse import Namespace

        TOPICS[topic](env.page(Namespace(no_color=False, stock=None)))
        return ExitStatus.DONE
    if topic in COMMANDS:
        return run_words([topic, "--help"], env)
    return _unknown([topic], env, [*COMMANDS, *TOPICS])


def _first_help() -> str:
    from .topics import TOPICS

    lines = [
        f"{title if name == names[0] else '':11}{name:12}{COMMANDS[name]}"
        for title, names in _FIRST.items()
        for name in names
    ]
    return _HELP.format(commands="\n".join(lines), topics=_listed([*TOPICS]))


def _wrapped(text: str, width: int) -> str:
    """Return text whose lines fit; one that fits as it is costs no import."""
    if max(map(len, text.splitlines())) <= width:
        return text
    from .filling import filled

    return f"{filled(text, width)}\n"


def _listed(words: "Sequence[str]") -> str:
    *most, last = words
    return f"{', '.join(most)} or {last}"


def _all_help() -> str:
    from .topics import TOPICS

    groups = [
        "\n".join([f"{title}:", *(f"  {name:12}{words}" for name, words in group.items())])
        for title, group in GROUPS.items()
    ]
    return _HELP_ALL.format(commands="\n\n".join(groups), topics=_listed([*TOPICS]))


def _start(env: Environment) -> int:
    """Tell where a person stands; one who has no stock yet, how to begin."""
    from argparse import Namespace

    from . import start

    args = Namespace(stock=None, config=None, json=False, quiet=False, no_color=False, debug=False, words=[])
    if not os.path.exists(env.stock_path(args)):
        env.stdout.write(start.FIRST_STEPS)
        return ExitStatus.DONE
    return _carry_out("", start, args, env)


def _carry_out(command: str, module: "ModuleType", args: "Namespace", env: Environment) -> int:
    from foldkeep.model import FoldKeepError, visible
    from foldkeep.model.errors import InterruptedMidway, StoppedMidway
    from foldkeep.model.extras import extra_of
    from foldkeep.model.work import FOR_MORE_PROCESSES, lacks_processes, reason_of

    status = ExitStatus.UNUSABLE
    try:
        return int(module.run(args, env))
    except (StoppedMidway, InterruptedMidway) as error:
        line, status = str(error), ExitStatus.STOPPED
        if isinstance(error, InterruptedMidway):
            status = ExitStatus.INTERRUPTED
            _answer_interrupt()
        from foldkeep.show.answers.stopped import StoppedAnswer

        env.answer(args, StoppedAnswer(command, error))
    except FoldKeepError as error:
        line = str(error)
    except ModuleNotFoundError as error:
        missing = extra_of(error)
        line, status = (str(missing), status) if missing else (_fault(error, args, env), ExitStatus.STOPPED)
    except BrokenPipeError:
        raise
    except Exception as error:
        if lacks_processes(error):
            line = f"{reason_of(error)}; {FOR_MORE_PROCESSES}, and run the command again"
        elif isinstance(error, OSError):
            where = f": {visible(os.fsencode(error.filename))}" if error.filename else ""
            line = f"{reason_of(error)}{where}; mend that and run the command again"
        else:
            line, status = _fault(error, args, env), ExitStatus.STOPPED
    env.stderr.write(f"{f'foldkeep {command}'.strip()}: {line}\n")
    return status


def _fault(error: Exception, args: "Namespace", env: Environment) -> str:
    """Return the line that tells of an error that nobody expected; with ``--debug`` write what mends it before."""
    from foldkeep.model import visible

    if args.debug:
        import platform
        import traceback

        env.stderr.write("".join(traceback.format_exception(error)))
        env.stderr.write(f"foldkeep {__version__}, Python {platform.python_version()}, {platform.platform()}\n")
    said = visible(f"{type(error).__name__}: {error}".partition("\n")[0])
    return f"a fault of Fold Keep itself ({said}); the next run takes up what was begun; --debug says what to report"


def _command_first(words: list[str]) -> list[str]:
    """Return a command line with the options that every command takes behind the command, where they stand before."""
    ahead: list[str] = []
    rest = list(words)
    while rest and (rest[0] in _EVERYWHERE or rest[0].partition("=")[0] == _WITH_A_FILE):
        taken = 2 if rest[0] == _WITH_A_FILE else 1
        ahead += rest[:taken]
        rest = rest[taken:]
    return [*rest[:1], *ahead, *rest[1:]] if rest else words


def _unknown(words: "Sequence[str]", env: Environment, topics: "Sequence[str]" = ()) -> int:
    from foldkeep.model import visible
    from foldkeep.model.spelling import nearest

    command = words[0]
    if command.startswith("-"):
        named = next((word for word in words if word in COMMANDS), "COMMAND")
        env.stderr.write(f"foldkeep: options stand after the command: foldkeep {named} {visible(command)}\n")
        return ExitStatus.UNUSABLE
    if not topics and command in _WORDS_FOR:
        meant = f"foldkeep {_WORDS_FOR[command]}".strip()
        env.stderr.write(f"foldkeep: there is no command {command}; you may mean: {meant}\n")
        return ExitStatus.UNUSABLE
    near = nearest(command, topics or COMMANDS)
    what, before = ("help on", "help ") if topics else ("command", "")
    advice = f"did you mean `foldkeep {before}{near}`?" if near else "see foldkeep --help"
    env.stderr.write(f"foldkeep: there is no {what} {visible(command)}; {advice}\n")
    return ExitStatus.UNUSABLE


def _make_encodable(env: Environment) -> None:
    """Let streams of narrow encodings show what they cannot write as escapes, and read names of any bytes."""
    for stream, errors in (
        (env.stdout, "backslashreplace"),
        (env.stderr, "backslashreplace"),
        (env.stdin, "surrogateescape"),
    ):
        reconfigure = getattr(stream, "reconfigure", None)
        if reconfigure:
            reconfigure(errors=errors)
