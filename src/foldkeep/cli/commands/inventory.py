"""Save what is known about places in one file, for when the drive is away, or for another machine.

`list`, `space` and `duplicates` take such files with --inventory, and `compare`
takes one for either side. An inventory is compressed, needs no stock, and a damaged one is
told from a whole one. One whose name ends in .parquet is written by columns
(Apache Parquet): for millions of files, and to ask many machines' inventories as one.
"""

import argparse
from contextlib import ExitStack
from typing import TYPE_CHECKING

from ..environment import Environment, ExitStatus
from ..options import CONFIG, Option, Takes, settings_projects
from ..reading import readers

if TYPE_CHECKING:
    from collections.abc import Iterable, Sequence

    from foldkeep.model import Place, Problem, Progress
    from foldkeep.stock import Stock

_BY_COLUMNS = ".parquet"
EXAMPLES = """\
examples:
  foldkeep inventory save shelf-drive.inventory shelf-drive
  foldkeep inventory save edit-07.parquet --machine edit-07 --signals
  foldkeep inventory convert shelf-drive.inventory shelf-drive.parquet
"""


OPTIONS = (
    Option("what", "save one, show what is in one, or convert one to Parquet", Takes.WORD,
           choices=("save", "show", "convert")),
    Option("file", "the inventory", Takes.FILE, "FILE"),
    Option("place", "to save: labels or paths of places (else all); to convert: the new file", Takes.PLACE, "PLACE",
           several=True, optional=True),
    Option("--signals", "also measure photos, films and sounds, for `alike` among machines; with .parquet"),
    Option("--machine", "call this machine so in inventories, from now on", Takes.WORD, "NAME"),
    CONFIG,
)  # fmt: skip


def run(args: argparse.Namespace, env: Environment) -> ExitStatus:
    """Save, show or convert."""
    from foldkeep.model import UnusableInput

    if args.machine and args.what != "save":
        raise UnusableInput("--machine is said when an inventory is saved", "leave it out")
    if args.signals and not (args.what == "save" and args.file.endswith(_BY_COLUMNS)):
        raise UnusableInput("--signals are saved by columns", f"save a file whose name ends in {_BY_COLUMNS}")
    if args.what == "save":
        return _save(args, env)
    if args.what == "convert":
        return _convert(args, env)
    if args.place:
        raise UnusableInput("`inventory show` takes one file", "leave the places out")
    return _show(args, env)


def _save(args: argparse.Namespace, env: Environment) -> ExitStatus:
    from foldkeep.find.compare import save_inventory
    from foldkeep.model import Filter, UnusableInput
    from foldkeep.scan import find_place
    from foldkeep.show.answers.inventory import SavedInventoryAnswer
    from foldkeep.stock import Stock

    problems: list[Problem] = []
    measured = None
    with Stock.open(env.stock_path(args)) as stock:
        places = list(dict.fromkeys(find_place(stock, name) for name in args.place)) or stock.places.all()
        if not places:
            raise UnusableInput("no place is known yet", "scan a folder first: foldkeep scan DIR")
        if args.machine:
            _rename(stock, args.machine)
        if args.file.endswith(_BY_COLUMNS):
            saved, measured, problems = _save_columns(args, env, stock, places)
        else:
            saved = save_inventory(stock, places, args.file)
        files, size, _ = stock.listing.count(Filter(places=tuple(place.label for place in places)))
    written, _, _ = saved
    env.answer(args, SavedInventoryAnswer(written, [place.label for place in places], files, size, measured))
    return env.tell_problems(args, problems)


def _save_columns(
    args: argparse.Namespace, env: Environment, stock: "Stock", places: "Sequence[Place]"
) -> "tuple[tuple[str, int, int], int | None, list[Problem]]":
    """Save by columns, and what is measured if that is asked for; return that, of how many contents, and problems."""
    from foldkeep.find.compare import inventory_folders, inventory_head
    from foldkeep.formats.columns import save_columns
    from foldkeep.keep import known_uses

    projects = settings_projects(env.settings(args).settings, stock)
    with env.progress(args) as progress, ExitStack() as opened:
        used, problems = known_uses(stock, projects, stock.catalogs.all(), progress)
        measured: int | None = None
        signals: Iterable[tuple[bytes, str]] = ()
        if args.signals:
            measured, signals, more = _measured(stock, places, progress, opened)
            problems += more
        head, folders = inventory_head(stock, places), inventory_folders(stock, places)
        return save_columns(args.file, head, folders, used, signals), measured, problems


def _measured(
    stock: "Stock", places: "Sequence[Place]", progress: "Progress", opened: ExitStack
) -> "tuple[int, Iterable[tuple[bytes, str]], list[Problem]]":
    """Measure what was not yet; return of how many contents that is known, that, and what could not be read."""
    from foldkeep.model.extras import need
    from foldkeep.scan import places_here, read_contents
    from foldkeep.signals import MEDIA
    from foldkeep.signals.saved import PRINTS, measure, measured_signals, printed
    from foldkeep.stock import Prints

    need("media")
    numbers = {place.id for place in places}
    prints = {each: opened.enter_context(Prints(stock.path, each.name, each.version)) for each in PRINTS}
    with readers(()) as executor, stock.hold("inventory"):
        problems = read_contents(stock, MEDIA, executor, progress).problems
        problems += measure(stock, prints, numbers & places_here(stock), progress)
    digests = printed(stock, prints, numbers)
    return len(digests), measured_signals(stock, prints, digests), problems


def _rename(stock: "Stock", name: str) -> None:
    """Give this machine a name; raise UnusableInput if that cannot be one."""
    from foldkeep.model import UnusableInput, visible
    from foldkeep.model.machines import is_machine_name, machine_name

    if not is_machine_name(name):
        raise UnusableInput(f"a machine cannot be called {visible(name)}", f"call it {machine_name(name)}, for example")
    with stock.hold("inventory"), stock.transaction():
        stock.machine.rename(name)


def _convert(args: argparse.Namespace, env: Environment) -> ExitStatus:
    from foldkeep.formats.columns import convert, read_head
    from foldkeep.model import UnusableInput
    from foldkeep.show.answers.inventory import SavedInventoryAnswer

    if len(args.place) != 1 or not args.place[0].endswith(_BY_COLUMNS):
        raise UnusableInput(
            "`inventory convert` takes an inventory and a new file", f"name one that ends in {_BY_COLUMNS}"
        )
    written, files, size = convert(args.file, args.place[0])
    labels = [place.label for place in read_head(written).places]
    env.answer(args, SavedInventoryAnswer(written, labels, files, size))
    return ExitStatus.DONE


def _show(args: argparse.Namespace, env: Environment) -> ExitStatus:
    from foldkeep.find.compare import read_inventory
    from foldkeep.show.answers.inventory import InventoryAnswer

    env.answer(args, InventoryAnswer(read_inventory(args.file)))
    return ExitStatus.DONE
