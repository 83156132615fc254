"""Delete folded files for good, which frees their space.

This cannot be taken back. Before a file is deleted, a copy of it outside the
fold is read again; a file that exists nowhere else is left. Regenerable files
need proof that they can be made again, or your word (--likely, --trust); files
that only look or sound like their keeper need --allow-alike. Of files whose
keeper has other words in it, what was written in them is kept (its rest), and
unfold can rebuild them; --rests ends that. Waiting 30 days
between folding and releasing is a good habit: --older-than 30d.

--bin deletes what lies in the desktop's bins, in the same way: what lies nowhere
else is left.
"""

import argparse
from typing import TYPE_CHECKING

from ..environment import Environment, ExitStatus
from ..options import BREAK_LOCK, RECIPES, Option, Takes, recipes_of
from ..reading import read_vouchers

if TYPE_CHECKING:
    from collections.abc import Sequence

    from foldkeep.model import Run
    from foldkeep.show.answers.release import AskedOfMachines
    from foldkeep.stock import Stock

EXAMPLES = """\
examples:
  foldkeep release 3
  foldkeep release --older-than 30d
  foldkeep release --bin --older-than 30d
"""


OPTIONS = (
    Option("run", "the number of a run, see the ledger", Takes.RUN, "RUN", several=True, optional=True),
    Option("--last", "the last run with files in the fold"),
    Option("--all", "every run with files in the fold"),
    Option("--older-than", "runs older than that: 30d, 2w, 6m, 1y", Takes.AGE, "AGE"),
    Option("--bin", "empty the desktop's bins instead; with --older-than what went there before"),
    Option("--yes", "go ahead without asking"),
    Option(
        "--vouchers",
        "of keepers on other machines believe what these signed for this release, see foldkeep vouch --number",
        Takes.FILE,
        "FILE",
        several=True,
    ),
    Option("--allow-last-copy", "also delete files that exist nowhere else", rare=True),
    Option("--allow-alike", "also files that only look or sound like their keeper", rare=True),
    Option("--rests", "end what unfold can rebuild: delete the rests of files released before", rare=True),
    Option("--likely", "also derived files that are only likely regenerable", rare=True),
    *RECIPES,
    BREAK_LOCK,
)


def run(args: argparse.Namespace, env: Environment) -> ExitStatus:
    """Choose the runs, ask, delete."""
    import time

    from foldkeep.fold import (
        Consent,
        ReleaseReport,
        find_run,
        last_waiting_run,
        release,
        release_rests,
        settle_all,
    )
    from foldkeep.fold.accounts import told_of_away
    from foldkeep.fold.elsewhere import proofs_for_release
    from foldkeep.model import RunFileState, UnusableInput
    from foldkeep.model.recipes import Cookbook
    from foldkeep.model.runs import surely_began
    from foldkeep.model.units import parse_age
    from foldkeep.show.answers.release import ReleaseAnswer, write_question
    from foldkeep.stock import Stock

    if args.bin:
        return _empty_bins(args, env)
    if not args.run and args.older_than is None and not (args.all or args.last):
        raise UnusableInput("no run is named", "name one that `foldkeep ledger` lists, or say --older-than 30d")
    consent = Consent(args.likely, args.allow_alike, Cookbook(recipes_of(args, env)))
    with Stock.open(env.stock_path(args)) as stock, stock.hold("release"), env.servers(stock):
        env.follow_drives(stock)
        settle_all(stock)
        named = {find_run(stock, number).id for number in args.run}
        named |= {last_waiting_run(stock, moved=False).id} if args.last else set()
        now_ns = time.time_ns()
        before_ns = now_ns - round((args.older_than.total_seconds() if args.older_than else 0) * 1e9)
        summaries = stock.ledger.summaries()
        began = surely_began(summaries, now_ns)
        state = RunFileState.REST if args.rests else RunFileState.WAITING
        chosen = [
            summary
            for summary in summaries
            if summary.files.get(state)
            and (not named or summary.run.id in named)
            and (args.older_than is None or began[summary.run.id] < before_ns)
        ]
        if args.older_than is not None:
            _tell_undated(env, [each.run for each in summaries if each.files.get(state)], now_ns)
        report, asked = ReleaseReport(), None
        if chosen:
            waiting = sum(summary.files[state] for summary in chosen)
            files = f"{waiting:,} {'file' if waiting == 1 else 'files'}"
            what = f"the rests of {files}, which cannot be rebuilt then" if args.rests else f"{files} for good"
            question = f"Delete {what}? This cannot be undone."
            if not env.confirm(args, question, lambda page: write_question(page, chosen, state)):
                return ExitStatus.DONE
            runs = [summary.run for summary in chosen]
            proofs = proofs_for_release(stock, read_vouchers(stock, args.vouchers), [run.id for run in runs])
            with env.progress(args) as progress:
                how = {"allow_last_copy": args.allow_last_copy, "progress": progress, "break_lock": args.break_lock}
                if args.rests:
                    report = release_rests(stock, runs, **how)
                else:
                    wait = parse_age(env.settings(args).settings.sides_wait)
                    report = release(stock, runs, consent=consent, proofs=proofs, sides_wait=wait, **how)
            numbers = {proof.number for proof in proofs.values()}
            with stock.transaction():
                for number in numbers:
                    stock.machine.use_up(number)
            asked = _asked_of_machines(stock, runs)
        if not args.rests:
            meant = [summary.run for summary in summaries if not named or summary.run.id in named]
            report.away = told_of_away(stock, meant)
    env.answer(args, ReleaseAnswer(report, of_rests=args.rests, asked=asked))
    if asked is None:
        env.next(args, "ledger")
    return ExitStatus.PROBLEMS if report.left or report.away else ExitStatus.DONE


def _tell_undated(env: Environment, waiting: "Sequence[Run]", now_ns: int) -> None:
    """Tell the runs whose age nobody knows, since a clock dated them into the future."""
    from foldkeep.show.page import local_day

    for run in waiting:
        if run.started_ns > now_ns:
            env.stderr.write(
                f"run {run.id} is dated {local_day(run.started_ns)}, by a clock that was ahead; name it to release it\n"
            )


def _asked_of_machines(stock: "Stock", runs: "Sequence[Run]") -> "AskedOfMachines | None":
    """Return what other machines have to sign before the rest can go, with a new number; None if nothing waits."""
    from foldkeep.fold.elsewhere import waiting_for_machines
    from foldkeep.show.answers.release import AskedOfMachines

    ids = [run.id for run in runs]
    waiting = waiting_for_machines(stock, ids)
    if not waiting:
        return None
    with stock.transaction():
        return AskedOfMachines(stock.machine.new_number(ids), ids, waiting)


def _empty_bins(args: argparse.Namespace, env: Environment) -> ExitStatus:
    from foldkeep.find.coverage import look_into_bins
    from foldkeep.fold import empty_bins, settle_all
    from foldkeep.model import UnusableInput
    from foldkeep.show.answers.bin import write_bin_question
    from foldkeep.show.answers.release import ReleaseAnswer
    from foldkeep.stock import Stock

    if args.run or args.last or args.all or args.rests:
        raise UnusableInput("--bin empties bins, not folds", "leave out what names runs")
    with Stock.open(env.stock_path(args)) as stock, stock.hold("release"):
        env.follow_drives(stock)
        settle_all(stock)
        with env.progress(args) as progress:
            bins = look_into_bins(stock, env.data_home(), progress, older_than=args.older_than)
        found = bins.found
        number = len(found)
        question = f"Delete {number:,} {'item' if number == 1 else 'items'} from bins for good? This cannot be undone."
        if number and not env.confirm(args, question, lambda page: write_bin_question(page, found)):
            return ExitStatus.DONE
        with env.progress(args) as progress:
            report = empty_bins(
                stock, [each.item for each in found], progress,
                allow_last_copy=args.allow_last_copy, break_lock=args.break_lock,
            )  # fmt: skip
    env.answer(args, ReleaseAnswer(report, stays="in the bin"))
    status = env.tell_problems(args, bins.problems)
    return ExitStatus.PROBLEMS if report.left else status
