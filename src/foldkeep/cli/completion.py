"""Completion of shells, made from the options kept as data; the program is asked for values that its stock knows."""

import argparse
from collections.abc import Iterator
from functools import partial
from importlib import import_module

from .environment import Environment
from .main import COMMANDS
from .options import COMMON, Option, Parser, Takes, add_options
from .topics import TOPICS

SHELLS = ("bash", "zsh", "fish")

VALUES = {
    Takes.PLACE: "places",
    Takes.RUN: "runs",
    Takes.CATALOG: "catalogs",
    Takes.KIND: "kinds",
    Takes.RECIPE: "recipes",
    Takes.TOPIC: "topics",
}
"""What the helper is asked for, for each kind of value that it knows."""

_FILES = (Takes.FILE, Takes.DOCKET, Takes.INVENTORY, Takes.PACKAGE)

# A stock that the line names is asked in place of the usual one. Errors are none: then nothing is completed.
_BASH = r"""
_foldkeep_values() {
  local word="${2//\\/}" value at stock="$FOLDKEEP_STOCK"
  for (( at = 1; at < COMP_CWORD; at++ )); do
    [[ ${COMP_WORDS[at]} == --stock ]] && stock="${COMP_WORDS[at + 1]}"
  done
  while IFS= read -r value; do
    [[ $value == "$word"* ]] && printf '%q\n' "$value"
  done < <(FOLDKEEP_STOCK="$stock" foldkeep completion --values "$1" 2>/dev/null)
}
"""
_ZSH = r"""
_foldkeep_values() {
  local stock="$FOLDKEEP_STOCK" at=${words[(i)--stock]}
  (( at < CURRENT )) && stock="${(Q)words[at + 1]}"
  local -a values
  values=("${(@f)$(FOLDKEEP_STOCK="$stock" foldkeep completion --values $1 2>/dev/null)}")
  [[ -n "$values" ]] && compadd -a values
}
"""
_FISH = r"""
function __foldkeep_values
  set -l typed (commandline -opc)
  set -l stock $FOLDKEEP_STOCK
  if set -l at (contains -i -- --stock $typed)
    set stock $typed[(math $at + 1)]
  end
  FOLDKEEP_STOCK="$stock" foldkeep completion --values $argv[1] 2>/dev/null
end
"""
_PREAMBLES = {"bash": _BASH, "zsh": _ZSH, "fish": _FISH}


def script_for(shell: str) -> str:
    """Return the completion of a shell, one of `SHELLS`; needs shtab."""
    import shtab

    preamble = _PREAMBLES[shell] + "".join(_function_for(word, shell) for word in VALUES.values())
    script: str = shtab.complete(_parser(), shell, root_prefix="foldkeep", preamble=preamble)
    # What it says of how to install it is not how we do.
    heading, _, rest = script.partition("\n\n")
    return "\n".join([line for line in heading.split("\n") if line.startswith("#compdef")] + ["", rest]).lstrip("\n")


def _function_for(word: str, shell: str) -> str:
    if shell == "bash":
        return f'_foldkeep_{word}() {{\n  _foldkeep_values {word} "$1"\n}}\n'
    if shell == "zsh":
        return f"_foldkeep_{word}() {{\n  _foldkeep_values {word}\n}}\n"
    return ""


def _completed(option: Option) -> object:
    """Return what completes a value, as shtab takes it; None if nothing does."""
    if word := VALUES.get(option.takes):
        function = f"_foldkeep_{word}"
        return {"bash": function, "zsh": function, "fish": f"(__foldkeep_values {word})"}
    if option.takes is Takes.FOLDER:
        return "directory"
    return "file" if option.takes in _FILES else None


def _parser() -> argparse.ArgumentParser:
    """Return one parser of all commands, each action with what completes it."""
    env = Environment()
    root = argparse.ArgumentParser(prog="foldkeep", description="keeps the right copy, folds the rest away")
    commands = root.add_subparsers(parser_class=partial(Parser, environment=env))  # type: ignore[call-overload]
    for name, words in COMMANDS.items():
        options = [*import_module(f"foldkeep.cli.commands.{name}").OPTIONS, *COMMON]
        # What stands for a value is part of the scripts: a colon in it would end it.
        parser = commands.add_parser(name, help=words, description=words)
        add_options(parser, options)
        for action, option in _matched(parser, options):
            action.metavar = str(action.metavar or option.name.lstrip("-")).replace(":", ".")
            if completed := _completed(option):
                action.complete = completed  # type: ignore[attr-defined]
    topics = commands.add_parser("help", help="tell about a command, or a topic", description="tell about a topic")
    topics.add_argument("topic", choices=[*COMMANDS, *TOPICS])
    return root


def _matched(parser: argparse.ArgumentParser, options: list[Option]) -> Iterator[tuple[argparse.Action, Option]]:
    named = {option.name: option for option in options}
    for action in parser._actions:
        option = named.get(action.option_strings[0] if action.option_strings else action.dest)
        if option is not None:
            yield action, option
