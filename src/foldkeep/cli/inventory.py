"""Save what is known of places in one file, to ask it while the drive is in a cupboard.

`list`, `space` and `duplicates` take such a file with --inventory, and `compare`
takes it for either side. It is compressed, needs no stock, and a damaged one is
told from a whole one.
"""

import argparse

from .environment import Environment, ExitStatus

EXAMPLES = """\
examples:
  foldkeep inventory save shelf-drive.inventory shelf-drive
  foldkeep inventory show shelf-drive.inventory
"""


def arrange(parser: argparse.ArgumentParser) -> None:
    """Declare the arguments."""
    parser.add_argument("what", choices=["save", "show"], help="save one, or tell what one has")
    parser.add_argument("file", metavar="FILE", help="the inventory")
    parser.add_argument("place", nargs="*", metavar="PLACE", help="to save: labels or paths of places (else all)")


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
    from foldkeep.show import Page, show_saved_inventory
    from foldkeep.stock import Stock

    with Stock.open(env.stock_path(args)) as stock:
        places = list(dict.fromkeys(find_place(stock, name) for name in args.place)) or stock.places.all()
        if not places:
            raise UnusableInput("no place is known yet", "scan a folder first: foldkeep scan DIR")
        written, files, size = save_inventory(stock, places, args.file)
    labels = [place.label for place in places]
    document = {"command": "inventory", "inventory": written, "places": labels, "files": files, "bytes": size}

    def draw(page: Page) -> None:
        show_saved_inventory(page, written, labels, files, size)

    env.answer(args, document, draw)
    return ExitStatus.DONE


def _show(args: argparse.Namespace, env: Environment) -> ExitStatus:
    from foldkeep.find.compare import read_inventory
    from foldkeep.show import inventory_document, show_inventory

    found = read_inventory(args.file)
    env.answer(args, {"command": "inventory", **inventory_document(found)}, lambda page: show_inventory(page, found))
    return ExitStatus.DONE
