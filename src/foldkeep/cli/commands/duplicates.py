"""List the sets of files that have the same content, largest saving first.

The answer rests on the last scan. Hard links to one file are one file, empty
files form no set, and a copy in a place of another role is no spare: the set
is shown as backed up. With filters, sets are listed of which a copy fits.
"""

import argparse
from typing import TYPE_CHECKING

from ..dockets import typed_filters
from ..environment import Environment, ExitStatus
from ..options import CONFIG, FILTERS, INVENTORY, Option, Takes, open_source, wanted
from ..reading import look_for_same, same_of

if TYPE_CHECKING:
    from foldkeep.find.copies import Question
    from foldkeep.stock import Stock

EXAMPLES = """\
examples:
  foldkeep duplicates --top 5 --kind video
  foldkeep duplicates --folders
  foldkeep duplicates --same essence
"""

_TOP_ON_TERMINAL = 20
OPTIONS = (
    Option.top(f"list only the first N (on a terminal {_TOP_ON_TERMINAL}, in a pipe all)"),
    Option("--sort", "saving (the default), size, count or name", Takes.WORD, "BY", default="saving"),
    Option("--details", "dates and owner of each copy, and wrong suffixes"),
    Option("--folders", "compare whole folders instead of files"),
    Option("--names-too", "with --folders: names must agree as well", rare=True),
    Option(
        "--share",
        "with --folders: the smallest overlap to list, in percent of a folder (default: 50)",
        Takes.NUMBER,
        "PERCENT",
        default=50,
        rare=True,
    ),
    Option("--across", "compare all places as one, whatever their role", rare=True),
    Option(
        "--same",
        "what copies agree in: content (the default, unless the settings say otherwise), name, size, modified, or"
        " several, joined by commas; without content only to look at. essence, or content,essence: the picture or"
        " sound itself, whatever is written about it. decoded: the same samples, pixels or packets, coded otherwise",
        Takes.WORD,
        "WHAT",
        former=("--match",),
    ),
    CONFIG,
    Option("--csv", "also write every set to a CSV table", Takes.FILE, "FILE"),
    *INVENTORY,
    *FILTERS,
)


def run(args: argparse.Namespace, env: Environment) -> ExitStatus:
    """Find the sets, or the pairs of folders, and list them."""

    from foldkeep.find.copies import Question
    from foldkeep.model import UnusableInput
    from foldkeep.scan import check_filter

    question = Question(args.across, same_of(args, env), args.sort, wanted(args))
    # What the settings say goes for files alone, read where they lie.
    if not question.same.isdisjoint(("essence", "decoded")) and (args.same or not (args.inventory or args.folders)):
        return _media(args, env, question)
    question = question._replace(same=question.same - {"essence"} or frozenset({"content"}))
    if args.folders and args.csv:
        raise UnusableInput("--folders lists pairs and writes no table", "leave out --csv, or say --json")
    with open_source(args, env) as stock:
        check_filter(stock, question.wanted)
        env.tell_half_scanned(args, stock)
        return (_folders if args.folders else _sets)(args, env, stock, question)


def _media(args: argparse.Namespace, env: Environment, question: "Question") -> ExitStatus:
    from collections.abc import Sequence

    from foldkeep.find.copies import (
        MediaSet,
        OtherSets,
        Same,
        duplicates,
        same_decoded,
        same_essences,
        sets_of_both,
    )
    from foldkeep.model import CopySet, UnusableInput
    from foldkeep.model.extras import need
    from foldkeep.scan import check_filter, fits_nothing, presences
    from foldkeep.show.answers.media_sets import MEDIA_COLUMNS, MediaSetsAnswer, media_rows
    from foldkeep.signals import MediaReader
    from foldkeep.stock import Stock

    if args.inventory or args.folders:
        raise UnusableInput(
            f"{args.same} is compared file by file, and read where the files lie", "leave out --folders and --inventory"
        )
    need("media")
    same = Same.ESSENCE if "essence" in question.same else Same.DECODED
    with Stock.open(env.stock_path(args)) as stock:
        check_filter(stock, question.wanted)
        with env.progress(args) as progress:
            problems = look_for_same(stock, same, question.wanted.kinds, progress)
            with MediaReader(stock) as reader:
                media = (same_essences if same is Same.ESSENCE else same_decoded)(stock, reader, question)
            sets: Sequence[MediaSet | CopySet] = media
            if "content" in question.same:
                found = duplicates(stock, question._replace(same=frozenset({"content"})))
                sets = sets_of_both(media, OtherSets(found, media), question)
        nothing = not sets and fits_nothing(stock, question.wanted)
        answer = MediaSetsAnswer(same, sets, presences(stock), env.top(args, _TOP_ON_TERMINAL), args.details, nothing)
    env.answer(args, answer)
    if args.csv:
        env.write_table(args.csv, MEDIA_COLUMNS, media_rows(sets))
    return env.tell_problems(args, problems)


def _sets(args: argparse.Namespace, env: Environment, stock: "Stock", question: "Question") -> ExitStatus:
    from foldkeep.find.copies import duplicates
    from foldkeep.model import Step
    from foldkeep.scan import fits_nothing, presences
    from foldkeep.show.answers.duplicates import SETS_COLUMNS, SetsAnswer, sets_rows

    with env.progress(args) as progress:
        progress(Step("Comparing contents", 0, None, "files"))
        found = duplicates(stock, question)
        overview = found.overview()
    top = env.top(args, _TOP_ON_TERMINAL)
    nothing = not overview.totals.sets and fits_nothing(stock, question.wanted)
    now = presences(stock) if overview.totals.sets else {}
    across = 0
    if not (overview.totals.sets or question.across or nothing):
        across = duplicates(stock, question._replace(across=True)).overview().totals.sets
        found = duplicates(stock, question)  # one question at a time is ranked in a stock
    env.answer(args, SetsAnswer(found, overview, question, now, top, args.details, nothing, across))
    if args.csv:
        env.write_table(args.csv, SETS_COLUMNS, sets_rows(found.sets()))
    if overview.totals.spares:
        env.next(args, "keep", *typed_filters(args.words))
    return ExitStatus.DONE


def _folders(args: argparse.Namespace, env: Environment, stock: "Stock", question: "Question") -> ExitStatus:
    from foldkeep.find.copies import compare_folders
    from foldkeep.model import Step
    from foldkeep.scan import fits_nothing
    from foldkeep.show.answers.duplicates import FoldersAnswer

    with env.progress(args) as progress:
        progress(Step("Comparing folders", 0, None, "folders"))
        matches = compare_folders(stock, question, same_names=args.names_too, least_share=args.share / 100)
    nothing = not matches and fits_nothing(stock, question.wanted)
    env.answer(args, FoldersAnswer(matches, env.top(args, _TOP_ON_TERMINAL), nothing))
    return ExitStatus.DONE
