"""Choose the copy of each set to keep, say why, and write a docket.

Rules are asked one after another until one copy is left; `--explain` lists
them. Without any of yours, a copy is kept whose name does not look like a
copy's, and of two folders with the same shoot one stays whole and the other
empties. The docket is a CSV file; change it with any spreadsheet, or with
`foldkeep review`, before you hand it to `foldkeep fold`. Nothing is folded by
this command.
"""

import argparse
from typing import TYPE_CHECKING

from .catalogs import add_reading, remembered_and_named
from .environment import Environment, ExitStatus
from .filters import add_filters, wanted

if TYPE_CHECKING:
    from foldkeep.keep import Wishes

EXAMPLES = """\
examples:
  foldkeep keep -o docket.csv
  foldkeep keep -o docket.csv --prefer under:~/Masters --protect '*.psd'
  foldkeep keep --explain
"""


def arrange(parser: argparse.ArgumentParser) -> None:
    """Declare the arguments."""
    parser.add_argument(
        "-o", dest="docket", metavar="DOCKET", help="where to write the docket; a taken name is not overwritten"
    )
    parser.add_argument("--explain", action="store_true", help="list the rules in force, in their order")
    group = parser.add_argument_group("choosing; what can be given again adds to what was given before")
    group.add_argument(
        "--prefer",
        metavar="RULE",
        action="append",
        default=[],
        help="asked before the usual rules: under:DIR, place:LABEL, volume:LABEL, oldest, newest, "
        "earliest-capture, most-metadata, plain-name, shortest-path, longest-path, together",
    )
    group.add_argument("--only-these-rules", action="store_true", help="ask --prefer alone, not the usual rules too")
    group.add_argument(
        "--protect",
        metavar="WHAT",
        action="append",
        default=[],
        help="never goes: a folder, a file, a glob like '*.arw', role:ROLE, place:LABEL",
    )
    group.add_argument(
        "--give-up-under", metavar="DIR", action="append", default=[], help="goes first: what has a copy elsewhere"
    )
    group.add_argument("--at-least", metavar="N", type=int, help="copies to stay, on different volumes if possible")
    group.add_argument("--per", choices=["volume", "place", "role"], help="one copy stays on each")
    group.add_argument(
        "--catalog",
        metavar="NAME|SOURCE",
        action="append",
        default=[],
        help="prefer the copy that it knows; what a remembered one uses stays unless it has the keeper too",
    )
    group.add_argument(
        "--for-links",
        action="store_true",
        help="the docket is for a method that leaves a link, so catalogues lose nothing",
    )
    parser.add_argument("--across", action="store_true", help="compare all places as one, whatever their role")
    parser.add_argument(
        "--match",
        default="content",
        metavar="WHAT",
        help="content (the default), name, size, modified, or several; sets whose contents differ are left",
    )
    parser.add_argument("--config", metavar="FILE", help="the settings file to use (see `foldkeep settings`)")
    add_reading(parser)
    add_filters(parser)


def run(args: argparse.Namespace, env: Environment) -> ExitStatus:
    """Propose and write the docket."""
    from foldkeep.find.catalogs import uses
    from foldkeep.find.copies import Question, duplicates
    from foldkeep.keep import Proposal, propose, write_docket
    from foldkeep.model import UnusableInput
    from foldkeep.scan import Presence, presences
    from foldkeep.show import show_proposal
    from foldkeep.stock import Stock

    wishes = _wishes(args, env)
    if args.explain:
        return _explain(args, env, wishes)
    if not args.docket:
        raise UnusableInput("no docket is named", "say where to write it: -o docket.csv")
    proposal = Proposal()
    with Stock.open(env.stock_path(args)) as stock:
        found = duplicates(stock, Question(args.across, frozenset(args.match.split(",")), wanted=wishes.wanted))
        away = {place for place, now in presences(stock).items() if now is not Presence.HERE}
        users = uses(stock, remembered_and_named(args, stock))
        docket = write_docket(args.docket, propose(stock, found, wishes, proposal, away, users))
    document = {
        "command": "keep",
        "sets": proposal.sets,
        "spares": proposal.spares,
        "reclaimable": proposal.reclaimable,
        "undecided": proposal.undecided,
        "all_stay": proposal.all_stay,
        "emptied_folders": proposal.emptied,
        "reasons": dict(proposal.reasons),
        "docket": docket,
    }
    env.answer(args, document, lambda page: show_proposal(page, proposal, docket, args.docket))
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
    )


def _explain(args: argparse.Namespace, env: Environment, wishes: "Wishes") -> ExitStatus:
    from foldkeep.keep import Chooser, meaning
    from foldkeep.model import visible
    from foldkeep.show import show_rules
    from foldkeep.stock import Stock

    with Stock.open(env.stock_path(args)) as stock:
        Chooser(stock, wishes)  # refuses what cannot be understood
    rules = [(word, meaning(word)) for word in wishes.rules]
    document = {
        "command": "keep",
        "rules": [{"rule": word, "prefers": text} for word, text in rules],
        "protect": list(wishes.protect),
        "give_up_under": [visible(folder) for folder in wishes.give_up_under],
        "at_least": wishes.at_least,
        "per": wishes.per,
    }
    env.answer(args, document, lambda page: show_rules(page, rules, wishes))
    return ExitStatus.DONE
