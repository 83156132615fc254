"""Have a shell complete commands, options and values, such as labels of places.

The script of a shell is printed; save it where the shell looks for it, or have
the shell read it at its start. An installed Fold Keep has put the scripts there
already, if it was installed for the whole system.

  bash  foldkeep completion bash > ~/.local/share/bash-completion/completions/foldkeep
  zsh   foldkeep completion zsh > DIR/_foldkeep, with DIR in $fpath
  fish  foldkeep completion fish > ~/.config/fish/completions/foldkeep.fish
"""

import argparse
from typing import TYPE_CHECKING

from ..completion import SHELLS, VALUES, script_for
from ..environment import Environment, ExitStatus
from ..options import Option, Takes

if TYPE_CHECKING:
    from foldkeep.stock import Stock

EXAMPLES = """\
examples:
  foldkeep completion bash
  foldkeep completion fish > foldkeep.fish
"""

OPTIONS = (
    Option("shell", "the shell that is to complete", Takes.WORD, choices=SHELLS, optional=True),
    Option(
        "--values",
        "print values that the stock knows; the scripts ask so",
        Takes.WORD,
        choices=tuple(VALUES.values()),
        rare=True,
    ),
)


def run(args: argparse.Namespace, env: Environment) -> ExitStatus:
    """Print a script, or values."""
    from foldkeep.model import UnusableInput
    from foldkeep.show.answers.completion import LinesAnswer

    if args.values:
        env.answer(args, LinesAnswer("values", _values(args, env)))
        return ExitStatus.DONE
    if args.shell is None:
        raise UnusableInput("no shell is named", "say bash, zsh or fish")
    env.answer(args, LinesAnswer("script", _script(args.shell).splitlines()))
    return ExitStatus.DONE


def _script(shell: str) -> str:
    """Return the script that was made with the program, or one that is made now; UnusableInput if neither can be."""
    from importlib.resources import files

    from foldkeep.model import UnusableInput

    made = files("foldkeep").joinpath("cli", "shells", f"foldkeep.{shell}")
    if made.is_file():
        return made.read_text("utf-8")
    try:
        return script_for(shell)
    except ModuleNotFoundError as error:
        if error.name != "shtab":
            raise
        raise UnusableInput("the scripts were not made with this program", "install its wheel, or shtab") from error


def _values(args: argparse.Namespace, env: Environment) -> list[str]:
    """Return the values that are asked for; a stock that cannot be had knows none."""
    import os

    from foldkeep.model import FoldKeepError
    from foldkeep.model.kinds import KINDS

    if args.values == "topics":
        from foldkeep.find.checkup import Topic

        return [str(topic) for topic in Topic]
    if args.values == "recipes":
        from foldkeep.formats.own import general_recipes

        return [recipe.name for recipe in general_recipes()]
    usual = list(KINDS) if args.values == "kinds" else []
    path = env.stock_path(args)
    if not os.path.exists(path):
        return usual
    from foldkeep.stock import Stock

    try:
        with Stock.open(path) as stock:
            return sorted({*usual, *_known(stock, args.values)})
    except FoldKeepError:
        return usual


def _known(stock: "Stock", word: str) -> list[str]:
    from foldkeep.model import visible

    if word == "kinds":
        return stock.listing.kinds()
    if word == "places":
        return [place.label for place in stock.places.all() if place.label == visible(place.label)]
    if word == "catalogs":
        return [catalog.name for catalog in stock.catalogs.all()]
    return [str(summary.run.id) for summary in stock.ledger.summaries()]
