"""Read folders and remember the files in them.

Each folder named becomes a place that Fold Keep knows; without one, all known
places are scanned again. Contents are read only where a copy is possible:
files of the same size first, then their first and last few kilobytes, and
whole only if those agree. What has not changed since is not read again.
"""

import argparse
from typing import TYPE_CHECKING

from ..environment import Environment, ExitStatus
from ..options import CONFIG, ROLES, Option, Takes
from ..reading import CLUSTER, readers, workers

if TYPE_CHECKING:
    from foldkeep.model import Place, Progress
    from foldkeep.scan import ScanReport
    from foldkeep.scan.workers import Workers
    from foldkeep.stock import Stock

EXAMPLES = """\
examples:
  foldkeep scan ~/Pictures ~/Videos
  foldkeep scan /media/shelf-drive --role backup
  foldkeep scan                                   all known places again
"""

_LOOK_AT = "include {}; remembered for these places"
OPTIONS = (
    Option(
        "place",
        "a folder, drive or share, or the https:// or sftp:// address of a folder on a server",
        Takes.FOLDER,
        "PLACE",
        several=True,
        optional=True,
    ),
    Option(
        "--role",
        "what these places are for; copies in places of different roles are not each other's spares",
        Takes.WORD,
        choices=ROLES,
    ),
    Option("--hidden", _LOOK_AT.format("hidden files and folders"), opposite=True),
    Option("--system", _LOOK_AT.format("files and folders of the system"), opposite=True, rare=True),
    Option(
        "--bundles", _LOOK_AT.format("files inside bundles, folders that act as one document"), opposite=True, rare=True
    ),
    Option("--cross-volumes", _LOOK_AT.format("other volumes mounted below"), opposite=True, rare=True),
    Option(
        "--rate",
        "bytes a second that are sent to and from servers at most, such as 5MB/s",
        Takes.RATE,
        "RATE",
        rare=True,
    ),
    Option(
        "--unencrypted",
        "ask servers over http:// as well; anybody on the way can read along then, passwords too",
        rare=True,
    ),
    Option("--read-all", "read every file whole, so that `compare` knows its content while the drive is away"),
    Option("--check-media", "read every file whole and find damage: cut-off, zero-filled and undecodable files"),
    CLUSTER,
    CONFIG,
)


def run(args: argparse.Namespace, env: Environment) -> ExitStatus:
    """Scan and tell what was seen."""
    from foldkeep.model import UnusableInput
    from foldkeep.model.extras import need
    from foldkeep.scan import scan
    from foldkeep.show.answers.scan import ScanAnswer
    from foldkeep.signals import DAMAGE
    from foldkeep.stock import Stock

    if args.check_media:
        need("media")
    settings = env.settings(args).settings
    with (
        workers(args, env) as cluster,  # refused, it has changed nothing
        Stock.open(env.stock_path(args), create=bool(args.place)) as stock,
        stock.hold("scan"),
        env.servers(stock, args.place, rate=args.rate, unencrypted=args.unencrypted),
    ):
        env.follow_drives(stock, args.place)
        if args.place:
            places = [_place(stock, path, args, env) for path in args.place]
            _ask_what_is_kept_alike(stock, places, env)
            places = list({place.id: place for place in places}.values())
        else:
            places = stock.places.all()
        if not places:
            raise UnusableInput("no place is known yet", "name a folder: foldkeep scan DIR")
        with readers(places, cluster) as executor, env.progress(args) as progress:
            report = scan(
                stock,
                places,
                executor,
                progress,
                settings,
                read_all=args.read_all,
                read_kinds=DAMAGE.kinds if args.check_media else (),
            )
            if args.check_media:
                _check(stock, report, progress, cluster)
    env.answer(args, ScanAnswer(report))
    if report.places:
        env.next(args, "keep")
    return env.tell_problems(args, report.problems)


def _check(stock: "Stock", report: "ScanReport", progress: "Progress", cluster: "Workers | None") -> None:
    """Look for damage in the places that were scanned, and put what was found into the report."""
    import time

    from foldkeep.model import Filter
    from foldkeep.signals import check_contents

    here = [place for place in stock.places.all() if place.path in report.places]
    started = time.monotonic()
    report.problems += check_contents(stock, [place.id for place in here], progress, cluster)
    report.seconds += time.monotonic() - started
    report.checked = True
    if here:
        labels = tuple(place.label for place in here)
        report.damaged = stock.listing.count(Filter(places=labels, damaged=True)).files


def _place(stock: "Stock", path: str, args: argparse.Namespace, env: Environment) -> "Place":
    """Return the place that a folder is; of one that says that it is another it is asked whether it is a copy."""
    import os

    from foldkeep.model import Role
    from foldkeep.scan import TwinPlace, add_place, mark_place, move_place

    role, folder = Role(args.role) if args.role else None, os.fsencode(path)
    try:
        return add_place(stock, folder, role, _asked(args))
    except TwinPlace as twin:
        answer = env.choose(f"{twin.what}. Is it that, at another path now, or a copy?", ("that", "copy"))
        if answer is None:
            raise
        if answer == "that":
            move_place(stock, twin.place, folder)
        else:
            mark_place(stock, folder)
    return add_place(stock, folder, role, _asked(args))


def _ask_what_is_kept_alike(stock: "Stock", places: "list[Place]", env: Environment) -> None:
    """Ask of places that were never scanned whether a program keeps them like those on the other side.

    Nothing is lost without an answer: both count as one copy then, and `duplicates` says so.
    """
    from foldkeep.model import visible
    from foldkeep.model.remote import is_remote
    from foldkeep.show.answers.places import ONE_IF_ALIKE

    for place in places:
        unsure = [other for other in stock.places.all() if not stock.places.are_separate(place, other)]
        if place.scanned_ns or not unsure:
            continue
        where = "a folder on this machine" if is_remote(place.path) else "a folder on a server"
        question = f"{ONE_IF_ALIKE}\nDoes a program keep {visible(place.path)} and {where} alike?"
        answer = env.choose(question, ("yes", "no"))
        if answer == "no":
            with stock.transaction():
                for other in unsure:
                    stock.places.separate(place, other)


def _asked(args: argparse.Namespace) -> "dict[str, bool]":
    """Return what the user said about what to look at beyond the usual; nothing said is not there."""
    said = {
        "hidden": args.hidden, "system": args.system, "bundles": args.bundles, "volumes": args.cross_volumes,
        "unencrypted": args.unencrypted or None,
    }  # fmt: skip
    return {word: wish for word, wish in said.items() if wish is not None}
