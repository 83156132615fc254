"""Save what is known about places in one file, for when the drive is away.

`list`, `space` and `duplicates` take such a file with --inventory, and `compare`
takes it for either side. It is compressed, needs no stock, and a damaged one is
told from a whole one.
"""

import argparse

from ..environment import Environment, ExitStatus
from ..options import Option, Takes

EXAMPLES = """\
examples:
  foldkeep inventory save shelf-drive.inventory shelf-drive
  foldkeep inventory show shelf-drive.inventory
"""


OPTIONS = (
    Option("what", "save one, or show what is in one", Takes.WORD, choices=("save", "show")),
    Option("file", "the inventory", Takes.FILE, "FILE"),
    Option("place", "to save: labels or paths of places (else all)", Takes.PLACE, "PLACE", several=True, optional=True),
)


def run(args: argparse.Namespace, env: Environment) -> ExitStatus:
    """Save or show."""
    from foldkeep.model import UnusableInput

    if args.what == "save":
        return _save(args, env)
    if args.place:
        raise UnusableInput("`inventory show` takes one file", "leave the places out")
    return _show(args, env)


def _save(args: argparse.Namespace, env: Environment) -> ExitStatus:
    from foldkeep.find.compare import save_inventory
    from foldkeep.model import UnusableInput
    from foldkeep.scan import find_place
    from foldkeep.show.answers.inventory import SavedInventoryAnswer
    from foldkeep.stock import Stock

    with Stock.open(env.stock_path(args)) as stock:
        places = list(dict.fromkeys(find_place(stock, name) for name in args.place)) or stock.places.all()
        if not places:
            raise UnusableInput("no place is known yet", "scan a folder first: foldkeep scan DIR")
        written, files, size = save_inventory(stock, places, args.file)
    env.answer(args, SavedInventoryAnswer(written, [place.label for place in places], files, size))
    return ExitStatus.DONE


def _show(args: argparse.Namespace, env: Environment) -> ExitStatus:
    from foldkeep.find.compare import read_inventory
    from foldkeep.show.answers.inventory import InventoryAnswer

    env.answer(args, InventoryAnswer(read_inventory(args.file)))
    return ExitStatus.DONE
