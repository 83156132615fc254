"""Find pictures, films and sounds that are alike: versions, crops, bursts.

Photos are compared by what they show: saved again, made smaller, brighter or
grey, turned, mirrored, bordered or cropped. Sounds are compared by what is
heard: compressed, resampled, cut, or with silence before them, but not played
faster or slower. Films are compared by both: compressed, scaled, trimmed or set
between bars. Each group says how its members differ and which is likely the
original. Pictures taken within a minute are one moment, not versions. Likeness
only suggests: a docket leaves every file, until you decide, best in the comparing
view of `foldkeep sheet DOCKET`; `foldkeep fold --allow-alike` carries that out.

Inventories of several machines are compared by what they carry: save each with
--signals. Nothing is read then; films that only their frames would tell are left out.

The first time every photo, film and sound is read, which can be interrupted;
after that only new ones are. With PATH only those in these folders are read, and
compared with all that were read before; --against reads other folders too.
"""

import argparse
from typing import TYPE_CHECKING

from ..environment import Environment, ExitStatus
from ..options import FILTERS, INVENTORY, Option, Takes, wanted
from ..options.stock_or_inventory import open_many
from ..reading import CLUSTER, readers, workers

if TYPE_CHECKING:
    from collections.abc import Mapping, Sequence

    from foldkeep.model import Filter, Problem, Progress, StockFile
    from foldkeep.scan.workers import Workers
    from foldkeep.signals import Extractor
    from foldkeep.stock import Prints, Stock

EXAMPLES = """\
examples:
  foldkeep alike ~/Pictures/2025 --strength strong
  foldkeep alike -o docket.csv
  foldkeep alike --inventory 'edit-*.parquet'
"""

_TOP_ON_TERMINAL = 20
OPTIONS = (
    Option("path", "only groups with a file in these folders", Takes.FOLDER, "PATH", several=True, optional=True),
    Option("--against", "with PATH: read what is in these folders too", Takes.FOLDER, "DIR", several=True),
    Option("--near", "only what looks or sounds like this file", Takes.FILE, "FILE", several=True),
    Option(
        "--strength", "the least: strong, or fair (default)", Takes.WORD, choices=("strong", "fair"), default="fair"
    ),
    Option.top(f"list only the first N groups (on a terminal {_TOP_ON_TERMINAL}, else all)"),
    Option("-o", "write a docket with a suggestion for each file", Takes.DOCKET, "DOCKET", to="docket"),
    CLUSTER,
    *INVENTORY,
    Option("--csv", "also write every member to a CSV table", Takes.FILE, "FILE"),
    *FILTERS,
)


def run(args: argparse.Namespace, env: Environment) -> ExitStatus:
    """Look at what was not looked at, compare, tell."""
    import os
    from contextlib import ExitStack

    from foldkeep.find.likeness import alike, count_unseen, without_print
    from foldkeep.keep import write_docket
    from foldkeep.keep.dockets import alike_rows
    from foldkeep.model import UnusableInput
    from foldkeep.model.extras import need
    from foldkeep.scan import check_filter, fits_nothing, places_here
    from foldkeep.show.answers.alike import ALIKE_COLUMNS, AlikeAnswer, alike_rows_of_table
    from foldkeep.signals import FILM_PRINT, MEDIA, PHOTO_PRINT, SOUND_PRINT, Measures, MediaReader
    from foldkeep.stock import Prints, Stock
    from foldkeep.storage.local.drives import real_path

    need("media")
    fits = wanted(args)
    fits = fits._replace(under=(*fits.under, *(real_path(os.fsencode(path)) for path in args.path)))
    kinds = MEDIA.intersection(fits.kinds or MEDIA)
    extractors = [each for each in (PHOTO_PRINT, FILM_PRINT, SOUND_PRINT) if not each.kinds.isdisjoint(kinds)]
    if args.inventory:
        return _elsewhere(args, env, fits, extractors)
    with ExitStack() as opened:
        stock = opened.enter_context(Stock.open(env.stock_path(args)))
        check_filter(stock, fits)
        env.tell_half_scanned(args, stock)
        if not extractors:
            raise UnusableInput("only photos, films and sounds are compared", "say --kind photo, video or audio")
        if args.against and not fits.under:
            raise UnusableInput("--against goes with PATH", "name the folder whose files are compared with these")
        beside = [os.path.dirname(_file_of(stock, path).path) for path in args.near]
        read = (*fits.under, *(real_path(os.fsencode(path)) for path in args.against), *beside) if fits.under else ()
        prints = {each: opened.enter_context(Prints(stock.path, each.name, each.version)) for each in extractors}
        with workers(args, env) as cluster, env.progress(args) as progress:
            problems = _look(stock, prints, kinds, progress, cluster, read)
            near = [_file_of(stock, path).digest or b"" for path in args.near]
            with MediaReader(stock) as reader:
                measures = Measures(stock, progress=progress, workers=cluster)
                groups = alike(stock, prints, reader, measures, fits, near, args.strength, cluster)
        plain = without_print(prints.values())
        unseen = count_unseen(stock, prints, places_here(stock), kinds, read)
        nothing = not groups and fits_nothing(stock, fits)
        docket = write_docket(args.docket, alike_rows(groups)) if args.docket else None
    env.answer(args, AlikeAnswer(groups, env.top(args, _TOP_ON_TERMINAL), docket, plain, nothing, unseen))
    if args.csv:
        env.write_table(args.csv, ALIKE_COLUMNS, alike_rows_of_table(groups))
    return env.tell_problems(args, problems)


def _elsewhere(
    args: argparse.Namespace, env: Environment, fits: "Filter", extractors: "Sequence[Extractor]"
) -> ExitStatus:
    """Compare what inventories carry, and tell."""
    import os
    from contextlib import ExitStack

    from foldkeep.engine import alike_of_many
    from foldkeep.formats.columns import own_folder
    from foldkeep.model import UnusableInput
    from foldkeep.scan import check_filter, fits_nothing
    from foldkeep.show.answers.alike import ALIKE_COLUMNS, AlikeAnswer, alike_rows_of_table
    from foldkeep.stock import Prints

    if args.docket or args.near or args.cluster or args.against:
        advice = "leave out -o, --near, --against and --cluster"
        raise UnusableInput("nothing can be read or decided over inventories", advice)
    with ExitStack() as opened:
        asked = opened.enter_context(open_many(args, env))
        check_filter(asked.stock, fits)
        path = os.path.join(opened.enter_context(own_folder()), "prints")
        prints = {each: opened.enter_context(Prints(path, each.name, each.version)) for each in extractors}
        with env.progress(args) as progress:
            found = alike_of_many(asked, prints, fits, args.strength, progress)
        nothing = not found.groups and fits_nothing(asked.stock, fits)
        env.answer(args, AlikeAnswer(found.groups, env.top(args, _TOP_ON_TERMINAL), None, found.without, nothing))
    if args.csv:
        env.write_table(args.csv, ALIKE_COLUMNS, alike_rows_of_table(found.groups))
    return ExitStatus.DONE


def _look(
    stock: "Stock",
    prints: "Mapping[Extractor, Prints]",
    kinds: frozenset[str],
    progress: "Progress",
    cluster: "Workers | None",
    under: "Sequence[bytes]",
) -> "list[Problem]":
    """Read and print what is here, or only `under` folders, and has no print yet; return what could not be read now."""
    from foldkeep.scan import places_here, read_contents
    from foldkeep.signals import make_prints

    with readers((), cluster) as executor, stock.hold("alike"):
        problems = read_contents(stock, kinds, executor, progress, under).problems
    here = places_here(stock)
    for extractor, kept in prints.items():
        problems += make_prints(stock, extractor, kept, here, kinds, progress, cluster, under)
    return problems


def _file_of(stock: "Stock", path: str) -> "StockFile":
    """Return a photo, film or sound that the stock knows; UnusableInput if it does not."""
    import os

    from foldkeep.model import UnusableInput, visible
    from foldkeep.signals import MEDIA
    from foldkeep.storage.local.drives import real_name

    file = stock.listing.at(real_name(os.fsencode(path)))
    if file is None or file.kind not in MEDIA:
        raise UnusableInput(f"{visible(path)} is no photo, film or sound that is known", "scan its folder first")
    return file
