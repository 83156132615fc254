"""Choose the copy of each set to keep, say why, and write a docket (the list of proposals).

Rules are asked one after another until one copy is left; `--explain` lists
them. Without any of yours, a copy that somebody sorted is kept before one in a
dump, one whose name does not look like a copy's before others, and of two
folders with the same shoot one stays whole and the other empties. What a
timeline uses stays. A filter narrows what may go and never changes which copy
stays; what is protected stays beside the keeper. The docket is a CSV file;
change it with any spreadsheet, or with `foldkeep review`, before you hand it to
`foldkeep fold`. Nothing is folded by this command.
"""

import argparse
from typing import TYPE_CHECKING

from ..dockets import MOST_FOLDERS, docket_named, register_of, tell_others, write_made
from ..environment import Environment, ExitStatus
from ..options import (
    CONFIG,
    FILTERS,
    INVENTORY,
    READING,
    Option,
    Takes,
    remembered_and_named,
    settings_projects,
    wanted,
)
from ..options.stock_or_inventory import open_many
from ..reading import look_for_same, same_of

if TYPE_CHECKING:
    from foldkeep.keep import Wishes

EXAMPLES = """\
examples:
  foldkeep keep
  foldkeep keep -o docket.csv --prefer under:~/Masters --protect '*.psd'
  foldkeep keep --inventory desks -o dockets
"""

_CHOOSING = "choosing; repeated options add up"
OPTIONS = (
    Option(
        "-o",
        "write the docket to a file of your own; an existing one is not overwritten",
        Takes.DOCKET,
        "DOCKET",
        to="docket",
    ),
    Option("--afresh", "choose again where you decided already, in dockets that were not carried out", rare=True),
    Option("--explain", "list the rules in force, in their order"),
    Option(
        "--learn",
        "offer rules that decide as you did in a changed docket; those that you take go into the settings",
        Takes.DOCKET,
        "DOCKET",
        several=True,
    ),
    Option("--details", f"show all folders from which files go (else the first {MOST_FOLDERS})"),
    Option(
        "--prefer",
        "asked before the usual rules: under:DIR, outside:DIR, place:LABEL, volume:LABEL, oldest, newest, "
        "earliest-capture, most-metadata, plain-name, at-hand, shortest-path, longest-path, together",
        Takes.WORD,
        "RULE",
        several=True,
        group=_CHOOSING,
    ),
    Option("--only-these-rules", "use only --prefer, without the usual rules", rare=True),
    Option(
        "--protect",
        "never fold these: a folder, a file, a glob like '*.arw', role:ROLE, place:LABEL",
        Takes.WORD,
        "WHAT",
        several=True,
        group=_CHOOSING,
    ),
    Option(
        "--give-up-under",
        "fold copies here first, if there is one elsewhere",
        Takes.FOLDER,
        "DIR",
        several=True,
        group=_CHOOSING,
    ),
    Option(
        "--at-least",
        "how many copies to keep, on different disks if possible",
        Takes.NUMBER,
        "N",
        group=_CHOOSING,
    ),
    Option(
        "--per",
        "keep one copy on each",
        Takes.WORD,
        choices=("volume", "place", "role"),
        group=_CHOOSING,
    ),
    Option(
        "--catalog",
        "prefer copies that this catalogue uses; what remembered catalogues use stays unless they use the keeper too",
        Takes.CATALOG,
        "NAME|SOURCE",
        several=True,
        group=_CHOOSING,
    ),
    Option("--ignore-projects", "allow folding what timelines and other documents use", rare=True),
    Option(
        "--for-links",
        "propose for a method that leaves links, so that catalogues lose nothing",
        group=_CHOOSING,
    ),
    Option("--across", "compare all places as one, whatever their role", rare=True),
    Option(
        "--same",
        "content (the default, unless the settings say otherwise), name, size, modified, or several; sets whose"
        " contents differ are left. essence, or content,essence: also the same picture or sound under other words."
        " decoded: what decodes to the same, of which every file is left, with a suggestion",
        Takes.WORD,
        "WHAT",
        former=("--match",),
    ),
    *INVENTORY,
    CONFIG,
    *READING,
    *FILTERS,
)


def run(args: argparse.Namespace, env: Environment) -> ExitStatus:
    """Propose and write the docket."""
    from collections.abc import Iterable
    from contextlib import ExitStack
    from dataclasses import replace
    from itertools import chain

    from foldkeep.find.copies import MediaSet, Question, same_decoded, same_essences
    from foldkeep.keep import Proposal, propose_essences, propose_for
    from foldkeep.keep.dockets import FolderSums, decoded_rows
    from foldkeep.keep.register import Decisions
    from foldkeep.model import DocketRow, Problem
    from foldkeep.model.extras import need
    from foldkeep.scan import check_filter, check_folder, fits_nothing
    from foldkeep.show.answers.keep import ProposalAnswer, ShownProposal
    from foldkeep.signals import MediaReader
    from foldkeep.stock import Stock

    wishes = _wishes(args, env)
    if args.explain:
        return _explain(args, env, wishes)
    if args.learn:
        return _learn(args, env, wishes)
    if args.inventory:
        return _keep_of_many(args, env, wishes)
    proposal = Proposal()
    register = register_of(args, env)
    decisions = Decisions() if args.afresh else register.decisions()
    wishes = replace(wishes, decided=decisions.rows)
    with Stock.open(env.stock_path(args)) as stock:
        check_filter(stock, wishes.wanted)
        env.tell_half_scanned(args, stock)
        for folder in _named_folders(args):
            check_folder(stock, folder)
        same = same_of(args, env)
        question = Question(args.across, same - {"essence", "decoded"} or frozenset({"content"}))
        projects = None if wishes.ignores_projects else settings_projects(env.settings(args).settings, stock)
        catalogs = remembered_and_named(args, stock)
        with env.progress(args) as progress, ExitStack() as opened:
            problems: list[Problem] = []
            rows: list[Iterable[DocketRow]] = []
            sets: list[MediaSet] = []
            asked = (projects, catalogs, proposal, progress)
            for word in same.intersection(("essence", "decoded")):
                need("media")
                problems = look_for_same(stock, word, wishes.wanted.kinds, progress)
                reader = opened.enter_context(MediaReader(stock))
                if word == "essence":
                    sets = same_essences(stock, reader, question)
                    rows.append(propose_essences(stock, sets, wishes, *asked))
                else:
                    asked_for = question._replace(wanted=wishes.wanted)
                    rows.append(decoded_rows(proposal.counted(same_decoded(stock, reader, asked_for))))
            if same.isdisjoint(("essence", "decoded")) or "content" in same:
                rows.insert(0, propose_for(stock, question, wishes, *asked, essences=sets))
            sums = FolderSums()
            found = decisions.noted(sums.counted(chain.from_iterable(rows)))
            made = write_made(args, register, found, proposal)
        most = None if args.details else MOST_FOLDERS
        nothing = not proposal.sets and fits_nothing(stock, wishes.wanted)
        shown = ShownProposal(made.path, made.name, args.docket or "", nothing, sums.sums(), most, decisions.taken)
    env.answer(args, ProposalAnswer(proposal, shown))
    tell_others(args, env, made, decisions)
    if proposal.spares or proposal.undecided:
        env.next(args, "review", made.name)
    return env.tell_problems(args, [*problems, *proposal.problems])


def _keep_of_many(args: argparse.Namespace, env: Environment, wishes: "Wishes") -> ExitStatus:
    """Propose for the machines of inventories, and write a docket for each."""
    from foldkeep.engine import propose_for_machines, write_dockets
    from foldkeep.find.copies import Question
    from foldkeep.keep import Proposal
    from foldkeep.model import UnusableInput
    from foldkeep.scan import check_filter, check_folder
    from foldkeep.show.answers.keep import MachinesAnswer

    if not args.docket:
        raise UnusableInput("no folder is named for the dockets", "say where to write them: -o dockets")
    same = frozenset((args.same or "content").split(","))
    if not same.isdisjoint(("essence", "decoded")):
        raise UnusableInput(f"{args.same} is read where the files lie", "leave out --inventory, or --same")
    if args.catalog:
        raise UnusableInput(
            "a catalogue is asked on its own machine", "leave out --catalog: inventories say what it uses"
        )
    proposal = Proposal()
    with open_many(args, env) as asked:
        check_filter(asked.stock, wishes.wanted)
        for folder in _named_folders(args):
            check_folder(asked.stock, folder)
        question = Question(args.across, same)
        with env.progress(args) as progress:
            rows = propose_for_machines(asked, question, wishes, proposal, progress)
            dockets = write_dockets(args.docket, rows, next(iter(asked.machines.values()), "machine"))
    env.answer(args, MachinesAnswer(proposal, dockets))
    return ExitStatus.DONE


def _wishes(args: argparse.Namespace, env: Environment) -> "Wishes":
    """Return what the arguments and the settings ask for: of both, the arguments come first."""
    from dataclasses import replace

    from foldkeep.keep import Wishes, real_folder
    from foldkeep.model import UnusableInput

    usual = Wishes.after(env.settings(args).settings, wanted(args))
    if args.at_least is not None and args.at_least < 1:
        raise UnusableInput(f"--at-least {args.at_least} would keep nothing", "write a number from 1 on")
    known = [f"known:{name}" for name in args.catalog]
    return replace(
        usual,
        rules=tuple(dict.fromkeys([*known, *args.prefer, *([] if args.only_these_rules else usual.rules)])),
        protect=(*args.protect, *usual.protect),
        give_up_under=(*map(real_folder, args.give_up_under), *usual.give_up_under),
        at_least=args.at_least or usual.at_least,
        per=args.per or usual.per,
        leaves_links=args.for_links,
        mine=len(dict.fromkeys([*known, *args.prefer])),
        ignores_projects=args.ignore_projects,
    )


def _learn(args: argparse.Namespace, env: Environment, wishes: "Wishes") -> ExitStatus:
    """Offer rules that decide as somebody did, and write down those that are taken."""
    from foldkeep.find.copies import Question, duplicates
    from foldkeep.formats.own import write_settings
    from foldkeep.keep import read_docket
    from foldkeep.keep.lessons import lesson_of
    from foldkeep.model import UnusableInput
    from foldkeep.show.answers.learn import LearnAnswer, write_offer
    from foldkeep.stock import Stock

    if args.docket or args.inventory:
        raise UnusableInput("--learn reads dockets and writes none", "leave out -o and --inventory")
    dockets = [read_docket(docket_named(args, env, name).path) for name in args.learn]
    with Stock.open(env.stock_path(args)) as stock:
        projects = None if wishes.ignores_projects else settings_projects(env.settings(args).settings, stock)
        catalogs = remembered_and_named(args, stock)
        sets = list(duplicates(stock, Question(args.across)).sets())
        with env.progress(args) as progress:
            lesson = lesson_of(stock, dockets, sets, wishes, projects, catalogs, progress)
    taken: list[str] = []
    for at, offer in enumerate(lesson.offers):
        write_offer(env.page(args, env.stderr if args.json else None), lesson, at)
        if env.agreed("Write it into the settings?"):
            taken.append(offer.rule.word)
    path = env.settings_path(args)
    if taken:
        write_settings(path, [*env.settings(args).settings.learned, *taken])
    env.answer(args, LearnAnswer(lesson, taken, path))
    return ExitStatus.DONE


def _named_folders(args: argparse.Namespace) -> "list[bytes]":
    """Return the folders that the rules of a command line name."""
    from foldkeep.keep import real_folder

    rules = [rule.partition(":") for rule in args.prefer]
    under = [folder for kind, _, folder in rules if kind in ("under", "outside") and folder]
    return [real_folder(folder) for folder in (*under, *args.give_up_under)]


def _explain(args: argparse.Namespace, env: Environment, wishes: "Wishes") -> ExitStatus:
    from foldkeep.keep import Chooser, meaning
    from foldkeep.show.answers.keep import RulesAnswer
    from foldkeep.stock import Stock

    with Stock.open(env.stock_path(args)) as stock:
        Chooser(stock, wishes)  # refuses what cannot be understood
    env.answer(args, RulesAnswer([(word, meaning(word)) for word in wishes.rules], wishes))
    return ExitStatus.DONE
