"""Read files again and tell which are no longer what they were.

What was not checked for the longest comes first, so that little by little all
is read again: an hour a night, or a part each week. Files are read from the
drive itself and give way to whatever else wants it. Interrupted, it goes on
where it was.

A content that changed though no time of its file did is damage: a drive that
forgets, a cable, a bad copy below the file system. It is told with every good
copy that is known; a docket of it puts good copies in the place of damaged
files with: foldkeep fold DOCKET --method heal
Where times do not tell (exFAT, FAT, shares), a changed content is left, with
its cause unknown; what changed only in what is written about a picture or a
sound counts as an edit.
"""

import argparse

from ..environment import Environment, ExitStatus
from ..options import Option, Takes
from ..options.stock_or_inventory import inventories_here
from ..reading import CLUSTER, workers

EXAMPLES = """\
examples:
  foldkeep fixity --for 1h
  foldkeep fixity --portion 5% --place shelf-drive
  foldkeep fixity -o damaged.csv
"""


OPTIONS = (
    Option("--for", "how long to go on: 30min, 1.5h (else until all is read)", Takes.SPAN, "TIME", to="seconds"),
    Option("--portion", "how much of all to read: 5%%", Takes.PORTION, "PERCENT"),
    Option("--place", "only files in this place", Takes.PLACE, "LABEL", several=True),
    Option("--with-inventory", "also look for good copies in this inventory", Takes.INVENTORY, "FILE", several=True),
    Option("-o", "write a docket of what is damaged or changed", Takes.DOCKET, "DOCKET", to="docket"),
    CLUSTER,
)


def run(args: argparse.Namespace, env: Environment) -> ExitStatus:
    """Read again, tell, write."""
    from foldkeep.find.coverage import check_fixity
    from foldkeep.keep import write_docket
    from foldkeep.keep.dockets import fixity_rows
    from foldkeep.scan import find_place, places_here
    from foldkeep.show.answers.fixity import FixityAnswer
    from foldkeep.stock import Stock

    with (
        workers(args, env) as cluster,
        Stock.open(env.stock_path(args)) as stock,
        inventories_here(args, env, args.with_inventory) as inventories,
        stock.hold("fixity"),
    ):
        env.follow_drives(stock)
        here = places_here(stock)
        asked = [find_place(stock, label) for label in args.place] or stock.places.all()
        with env.progress(args) as progress:
            found = check_fixity(
                stock, [place.id for place in asked if place.id in here], progress,
                seconds=args.seconds, portion=args.portion or 1.0, inventories=inventories, workers=cluster,
            )  # fmt: skip
        places = stock.places.by_id()
    written = write_docket(args.docket, fixity_rows(found.damaged, found.changed)) if args.docket else None
    away = [place.path for place in asked if place.id not in here]
    env.answer(args, FixityAnswer(found, places, away, written))
    if found.damaged and not args.docket:
        env.next(args, "fixity", "-o", "heal.csv")
    elif not found.damaged:
        env.next(args, "checkup")
    status = env.tell_problems(args, found.report.problems + found.report.stale)
    return ExitStatus.PROBLEMS if found.damaged or found.changed else status
