"""Choose the copy of each set to keep, say why, and write a docket.

The rules, in this order, each narrowing the copies until one is left: a name
that does not look like a copy's, then the oldest, then the shortest path, then
the first by name. The docket is a CSV file; change it with any spreadsheet
before you hand it to `foldkeep fold`. Nothing is folded by this command.
"""

import argparse

from .environment import Environment, ExitStatus

EXAMPLES = """\
examples:
  foldkeep keep -o docket.csv
  foldkeep keep -o docket.csv --json
"""


def arrange(parser: argparse.ArgumentParser) -> None:
    """Declare the arguments."""
    parser.add_argument(
        "-o",
        dest="docket",
        metavar="DOCKET",
        required=True,
        help="where to write the docket; a taken name is not overwritten",
    )
    parser.add_argument("--across", action="store_true", help="compare all places as one, whatever their role")
    parser.add_argument(
        "--match",
        default="content",
        metavar="WHAT",
        help="content (the default), name, size, modified, or several; sets whose contents differ are left",
    )


def run(args: argparse.Namespace, env: Environment) -> ExitStatus:
    """Propose and write the docket."""
    from foldkeep.find import Question, duplicates
    from foldkeep.keep import Proposal, propose, write_docket
    from foldkeep.scan import Presence, presences
    from foldkeep.show import show_proposal
    from foldkeep.stock import Stock

    proposal = Proposal()
    with Stock.open(env.stock_path(args)) as stock:
        found = duplicates(stock, Question(args.across, frozenset(args.match.split(","))))
        away = {place for place, now in presences(stock).items() if now is not Presence.HERE}
        docket = write_docket(args.docket, propose(found.sets(), proposal, away=away))
    document = {
        "command": "keep",
        "sets": proposal.sets,
        "spares": proposal.spares,
        "reclaimable": proposal.reclaimable,
        "undecided": proposal.undecided,
        "docket": docket,
    }
    env.answer(args, document, lambda page: show_proposal(page, proposal, docket, args.docket))
    return ExitStatus.DONE
