"""Find files that a catalogue has lost track of, and leftovers on the disk.

Four findings: files under its folders that it does not know (those whose content
is nowhere else come first, and are never proposed for folding unless you ask),
entries without a file and where that lies now, sidecars, previews and desktop
thumbnails whose master is gone, and what it knows twice. The catalogue itself is
only read.
"""

import argparse

from ..environment import Environment, ExitStatus
from ..options import FILTERS, INVENTORY, READING, Option, Takes, named_catalogs, open_source, wanted

EXAMPLES = """\
examples:
  foldkeep orphans --catalog stills
  foldkeep orphans --catalog photos.csv --under ~/Pictures -o docket.csv
  foldkeep orphans --catalog stills --adopt import-again.txt
"""

_TOP_ON_TERMINAL = 8


OPTIONS = (
    Option(
        "--catalog",
        "a remembered one, or a file (else all that are remembered)",
        Takes.CATALOG,
        "NAME|SOURCE",
        several=True,
    ),
    Option("-o", "write a docket of unknown and left-over files", Takes.DOCKET, "DOCKET", to="docket"),
    Option("--sole-copies", "also propose to fold files that exist nowhere else"),
    Option("--adopt", "write a list of files that exist nowhere else, to import", Takes.FILE, "FILE"),
    Option(
        "--repair", "write a corrected copy of the catalogue, with the paths of files that moved", Takes.FILE, "FILE"
    ),
    Option("--drop-missing", "with --repair: leave out entries without a file, with all that they say", rare=True),
    Option(
        "--one-entry", "with --repair: keep one entry per content, the first; ratings in others are lost", rare=True
    ),
    Option.top(f"list the first N of each (on a terminal {_TOP_ON_TERMINAL}, else all)"),
    *INVENTORY,
    *READING,
    *FILTERS,
)


def run(args: argparse.Namespace, env: Environment) -> ExitStatus:
    """Match, compare, tell, write."""
    from foldkeep.find.catalogs import Standing, known_files, mended, orphans
    from foldkeep.formats.catalogs import write_repaired
    from foldkeep.formats.own import new_file
    from foldkeep.keep import leaving_aside, write_docket
    from foldkeep.keep.dockets import orphan_rows
    from foldkeep.model import UnusableInput
    from foldkeep.model.extras import MissingExtra, has_extra
    from foldkeep.scan import check_filter
    from foldkeep.show.answers.orphans import OrphansAnswer

    if args.inventory and (args.docket or args.repair or args.adopt or not args.catalog):
        raise UnusableInput(
            "inventories are asked by a catalogue that is named, and nothing is written for them",
            "name it: --catalog SOURCE, and leave out -o, --repair and --adopt",
        )
    if (args.drop_missing or args.one_entry) and not args.repair:
        raise UnusableInput("--drop-missing and --one-entry say how a copy is corrected", "name it: --repair FILE")
    with open_source(args, env) as stock:
        catalogs = named_catalogs(args, stock, args.catalog) if args.catalog else stock.catalogs.all()
        if not catalogs and (args.repair or args.adopt):
            raise UnusableInput("no catalogue is named or remembered", "name one: --catalog NAME, or where it lies")
        sources = [source for catalog in catalogs for source in catalog.sources]
        if args.repair and len(sources) > 1:
            raise UnusableInput("--repair corrects one file at a time", "name one --catalog with one source")
        if not has_extra("media"):
            env.stderr.write(f"Desktop thumbnails are not looked at: {MissingExtra('media')}\n")
        thumbnails = env.thumbnails() if has_extra("media") else b""
        fits = check_filter(stock, wanted(args))
        env.tell_half_scanned(args, stock)
        with env.progress(args) as progress:
            found = orphans(stock, known_files(stock, catalogs, progress), fits, thumbnails, progress)
        places = stock.places.all()
    written = {}
    mending = None
    if args.repair:
        mending = mended(found, sources[0], one_entry=args.one_entry, drop_missing=args.drop_missing)
        written["repair"] = write_repaired(sources[0], mending.paths, args.repair, mending.perhaps)
    if args.docket:
        rows = orphan_rows(found, [place.path for place in places], sole_copies=args.sole_copies)
        written["docket"] = write_docket(args.docket, leaving_aside(rows, places, fits.roles))
    if args.adopt:
        with new_file(args.adopt) as (written["adopt"], stream):
            sole = [each.file.path for each in found.unknown if each.standing is Standing.SOLE]
            stream.writelines(path + (b"\0" if any(b"\n" in name for name in sole) else b"\n") for path in sole)
    env.answer(args, OrphansAnswer(found, env.top(args, _TOP_ON_TERMINAL), written, mending))
    return ExitStatus.DONE
