"""List known folders and drives, and change their roles.

A place that is away (its drive is not connected) keeps what is known of it:
its copies are still found, and you are told which drive to fetch.
"""

import argparse
from typing import TYPE_CHECKING

from ..environment import Environment, ExitStatus
from ..keys import KEYS, tell_keys
from ..options import ROLES, Option, Takes

if TYPE_CHECKING:
    from foldkeep.stock import Stock

EXAMPLES = """\
examples:
  foldkeep places shelf-drive --role archive --label cupboard
  foldkeep places --separate desk cloud     no program keeps these two alike
  foldkeep places pool --disk "blue box"    it lies on the disk that I call so
"""


OPTIONS = (
    Option("place", "the label or path of the place to change", Takes.PLACE, "PLACE", optional=True),
    Option("--role", "its new role", Takes.WORD, choices=ROLES),
    Option("--label", "its new name", Takes.WORD),
    Option(
        "--moved-to",
        "the folder where it is now, if Fold Keep did not find its drive",
        Takes.FOLDER,
        "DIR",
        rare=True,
        former=("--at",),
    ),
    Option(
        "--disk",
        "the disk that it lies on, in a word of yours, where the system does not tell: places with one word share a"
        ' disk, and with different ones they do not; nothing ("") takes it back',
        Takes.WORD,
        "WORDS",
    ),
    Option(
        "--mark",
        "write a mark into a folder, by which its drive is known again; a copy becomes a place of its own",
        Takes.FOLDER,
        "DIR",
        rare=True,
    ),
    Option(
        "--separate",
        "say that no program keeps two places alike, so that copies on this machine and on a server are two files",
        Takes.PLACE,
        "PLACE",
        words=2,
        rare=True,
    ),
    Option(
        "--kept-alike",
        "say that a program may keep two places alike after all",
        Takes.PLACE,
        "PLACE",
        words=2,
        rare=True,
    ),
    *(option._replace(hidden=True) for option in KEYS),
    Option("--forget", "forget a place and its files; no file is changed", Takes.PLACE, "PLACE"),
)


def run(args: argparse.Namespace, env: Environment) -> ExitStatus:
    """Change what is to be changed, then list."""
    from foldkeep.model import UnusableInput
    from foldkeep.scan import Presence, presences
    from foldkeep.scan.disks import DisksOfFiles
    from foldkeep.show.answers.places import PlacesAnswer
    from foldkeep.stock import Stock

    if (args.role or args.label or args.moved_to or args.disk is not None) and not args.place:
        raise UnusableInput("no place is named", "name one by its label or path: foldkeep places LABEL --role backup")
    if args.machine_key or args.learn_key or args.forget_key:
        return tell_keys(args, env)
    with Stock.open(env.stock_path(args)) as stock:
        if args.place or args.forget or args.mark or args.separate or args.kept_alike:
            with stock.hold("places"):
                _change(stock, args, env)
        places = stock.places.all()
        sizes, volumes, here = stock.places.sizes(), stock.places.volumes(), presences(stock)
        finder = DisksOfFiles(stock)
        disks = {
            place.id: finder.of_place(place, place.volume, is_here=here[place.id] is Presence.HERE) for place in places
        }
    env.answer(args, PlacesAnswer(places, sizes, volumes, here, disks))
    return ExitStatus.DONE


def _is_sure(env: Environment, one: str, other: str) -> bool:
    """Say what would be lost, and ask at a terminal whether two places are surely kept by nobody alike."""
    from foldkeep.model import visible
    from foldkeep.show.answers.places import ONE_IF_ALIKE

    env.stderr.write(f"{ONE_IF_ALIKE}\n")
    if not env.stdin.isatty():
        return True
    return env.choose(f"Does no program keep {visible(one)} and {visible(other)} alike?", ("yes", "no")) == "yes"


def _change(stock: "Stock", args: argparse.Namespace, env: Environment) -> None:
    import os

    from foldkeep.model import Role, UnusableInput, visible
    from foldkeep.scan import find_place, mark_place, move_place

    if args.forget:
        with stock.transaction():
            stock.places.forget(find_place(stock, args.forget))
    for pair, note in ((args.separate, stock.places.separate), (args.kept_alike, stock.places.keep_alike)):
        if pair:
            one, other = (find_place(stock, word) for word in pair)
            if one.id == other.id:
                raise UnusableInput(f"both are {visible(one.label)}", "name two places")
            if pair is args.separate and not _is_sure(env, one.label, other.label):
                continue
            with stock.transaction():
                note(one, other)
    if args.mark:
        mark = mark_place(stock, os.fsencode(args.mark))
        env.stderr.write(f"{visible(args.mark)} carries the mark {mark} in its .foldkeep folder.\n")
    if args.place:
        number = find_place(stock, args.place).id
        if args.moved_to:
            move_place(stock, stock.places.by_id()[number], os.fsencode(args.moved_to))
        place = stock.places.by_id()[number]
        if args.label and any(other.label == args.label and other.id != place.id for other in stock.places.all()):
            raise UnusableInput(f"another place has the label {args.label}", "choose another one")
        role = Role(args.role) if args.role else place.role
        with stock.transaction():
            disk = place.disk if args.disk is None else args.disk.strip()
            stock.places.change(place._replace(role=role, label=args.label or place.label, disk=disk))
