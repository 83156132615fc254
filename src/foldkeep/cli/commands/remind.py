"""Have the system's own scheduler run a check-up now and then, and tell you.

It is a timer of your own systemd, else lines in your crontab, on macOS an agent
of launchd; nothing runs as root. What is to be written is shown first. A machine
that was asleep or off catches up. You hear of it only if something needs attention:
by a notification of the desktop, a mail to your user, or a file on the desktop.
Without options: what is set, and when the next check-up is due.
"""

import argparse
from datetime import datetime
from typing import TYPE_CHECKING

from foldkeep.model.settings import WAYS_TO_TELL

from ..environment import Environment, ExitStatus
from ..options import CONFIG, Option, Takes
from ..reading import readers
from .checkup import check_up_settings

if TYPE_CHECKING:
    from foldkeep.find.checkup import CheckUp
    from foldkeep.model.reminders import Reminder
    from foldkeep.show.answers.remind import RemindedAnswer
    from foldkeep.stock import Stock
    from foldkeep.storage.local.schedulers import Scheduler

EXAMPLES = """\
examples:
  foldkeep remind --every 2w
  foldkeep remind --every 1m --at 07:30 --tell-by mail
  foldkeep remind --off
"""

_BEGUN, _DONE = "reminder begun", "reminder"
_GIVEN_UP_NS = 6 * 3600 * 1_000_000_000

OPTIONS = (
    Option("--every", "set a reminder: how often, from 1d to 1y (2w)", Takes.PERIOD, "AGE"),
    Option("--at", "when in the day (20:00)", Takes.TIME, "HH:MM"),
    Option(
        "--tell-by",
        "how you are told: desktop, mail or file (desktop)",
        Takes.WORD,
        choices=WAYS_TO_TELL,
        former=("--by",),
    ),
    Option("--scheduler", "which one is to run it", Takes.WORD, choices=("systemd", "cron", "launchd"), rare=True),
    Option("--off", "take the reminder away, and nothing else"),
    Option("--now", "look and tell now, as the reminder does"),
    Option("--if-due", "the same, if it is time; this is what the scheduler runs", rare=True),
    Option("--yes", "do not ask", short="-y"),
    CONFIG,
)


def run(args: argparse.Namespace, env: Environment) -> ExitStatus:
    """Set, take away, carry out, or tell."""
    from foldkeep.model import UnusableInput
    from foldkeep.storage.local.schedulers import schedulers

    chosen = [name for name in ("every", "off", "now", "if_due") if getattr(args, name) not in (None, False)]
    if len(chosen) > 1 and set(chosen) != {"every", "if_due"}:
        raise UnusableInput("only one thing can be done at a time", "say --every, --off or --now")
    if args.now or args.if_due:
        return _look(args, env)
    known = schedulers(env.variables)
    if args.off:
        return _take_away(args, env, known)
    is_wish = any((args.every, args.at, args.tell_by, args.scheduler))
    return _set(args, env, known) if is_wish else _tell(args, env, known)


def _tell(args: argparse.Namespace, env: Environment, known: "tuple[Scheduler, ...]") -> ExitStatus:
    from foldkeep.show.answers.remind import RemindAnswer

    for scheduler in known:
        if reminder := scheduler.current():
            files = tuple(scheduler.texts(reminder))
            last_ns, here = _last_ns(args, env), scheduler.is_here()
            answer = RemindAnswer(scheduler.name, reminder, last_ns, files, (), scheduler.looks_every, here)
            env.answer(args, answer)
            return ExitStatus.DONE
    env.answer(args, RemindAnswer("", None, _last_ns(args, env)))
    return ExitStatus.DONE


def _set(args: argparse.Namespace, env: Environment, known: "tuple[Scheduler, ...]") -> ExitStatus:
    from foldkeep.model.extras import need
    from foldkeep.show.answers.remind import RemindAnswer, ReminderDraft
    from foldkeep.stock import Stock

    scheduler = _scheduler(args.scheduler, known)
    reminder = _reminder(args, env)
    if reminder.by == "desktop":
        need("desktop")
    with Stock.open(env.stock_path(args)):
        pass  # refused now, rather than by a reminder that nobody hears
    others = [each for each in known if each is not scheduler and each.current()]
    draft = ReminderDraft(scheduler.texts(reminder), tuple(each.name for each in others))
    if not env.confirm(args, f"Have {scheduler.name} run this?", draft.write):
        return ExitStatus.DONE
    scheduler.put(reminder)
    for each in others:
        each.remove()
    files = tuple(scheduler.texts(reminder))
    removed = tuple(each.name for each in others)
    last_ns = _last_ns(args, env)
    env.answer(args, RemindAnswer(scheduler.name, reminder, last_ns, files, removed, scheduler.looks_every))
    return ExitStatus.DONE


def _take_away(args: argparse.Namespace, env: Environment, known: "tuple[Scheduler, ...]") -> ExitStatus:
    from foldkeep.show.answers.remind import RemindAnswer, ReminderDraft

    found = [(each, reminder) for each in known if (reminder := each.current())]
    if found:
        draft = ReminderDraft({}, tuple(each.name for each, _ in found))
        if not env.confirm(args, "Take it away?", draft.write):
            return ExitStatus.DONE
        for each, _ in found:
            each.remove()
    env.answer(args, RemindAnswer("", None, _last_ns(args, env), removed=tuple(each.name for each, _ in found)))
    return ExitStatus.DONE


def _scheduler(name: str | None, known: "tuple[Scheduler, ...]") -> "Scheduler":
    from foldkeep.model import UnusableInput

    for each in known:
        if each.is_here() and name in (None, each.name):
            return each
    what = f"{name} is not to be had here" if name else "no scheduler is to be had here"
    raise UnusableInput(what, "install cron, or run `foldkeep checkup` yourself")


def _reminder(args: argparse.Namespace, env: Environment) -> "Reminder":
    """Return the reminder that is asked for; what is not said is as in the settings."""
    import os
    import sys

    from foldkeep.model import UnusableInput, visible
    from foldkeep.model.reminders import Reminder

    settings = env.settings(args).settings
    every, at, by = args.every or settings.every, args.at or settings.at, args.tell_by or settings.by
    command = [sys.executable, "-m", "foldkeep", "remind", "--if-due", "--every", every, "--at", at, "--tell-by", by,
               "--stock", os.path.abspath(env.stock_path(args)), "--quiet"]  # fmt: skip
    if args.config:
        command += ["--config", os.path.abspath(args.config)]
    for word in command:
        if not word.isprintable() or word != visible(word):
            raise UnusableInput(f"no scheduler takes the name {visible(word)}", "give it one of plain characters")
    return Reminder(every, at, by, tuple(command))


def _last_ns(args: argparse.Namespace, env: Environment) -> int:
    import os

    from foldkeep.stock import Stock

    path = env.stock_path(args)
    if not os.path.exists(path):
        return 0
    with Stock.open(path) as stock:
        return stock.checkups.last(_DONE).made_ns


def _look(args: argparse.Namespace, env: Environment) -> ExitStatus:
    """Carry a reminder out: look, and tell if something wants a person.

    Where another Fold Keep is at work a scheduler looks again later; nobody has to hear of that.
    """
    from foldkeep.model.errors import StockBusy
    from foldkeep.show.answers.remind import RemindedAnswer

    try:
        return _look_now(args, env)
    except StockBusy:
        if not args.if_due:
            raise
    _answer(args, env, RemindedAnswer(due=False))
    return ExitStatus.DONE


def _answer(args: argparse.Namespace, env: Environment, answer: "RemindedAnswer") -> None:
    """Answer a person; a scheduler would mail on what is said each time that it asks."""
    if args.json or not args.if_due:
        env.answer(args, answer)


def _look_now(args: argparse.Namespace, env: Environment) -> ExitStatus:
    import time

    from foldkeep.model.reminders import CheckedUp
    from foldkeep.show.answers.checkup import CheckUpAnswer
    from foldkeep.show.answers.remind import RemindedAnswer
    from foldkeep.show.telling import tell
    from foldkeep.stock import Stock

    settings = env.settings(args).settings
    by = args.tell_by or settings.by
    with Stock.open(env.stock_path(args)) as stock, env.servers(stock):
        if args.if_due and not _begin(stock, args.every or settings.every, args.at or settings.at, by):
            _answer(args, env, RemindedAnswer(due=False))
            return ExitStatus.DONE
        answer = CheckUpAnswer(_found(args, env, stock), settings.release_after)
        told = tell(answer, by, env.variables) if answer.found.wanting or answer.found.report.problems else ""
        with stock.hold("remind"), stock.transaction():
            stock.checkups.put(_DONE, CheckedUp(time.time_ns()))
    _answer(args, env, RemindedAnswer(True, tuple(map(str, (each.topic for each in answer.found.wanting))), told))
    return ExitStatus.DONE


def _begin(stock: "Stock", every: str, at: str, by: str) -> bool:
    """Tell whether a check-up is due that no other process has begun, and note that this one does."""
    import time

    from foldkeep.model.reminders import CheckedUp, Reminder

    now = datetime.now().astimezone()
    with stock.hold("remind"), stock.transaction():
        begun_ns, now_ns = stock.checkups.last(_BEGUN).made_ns, time.time_ns()
        is_at_work = stock.checkups.last(_DONE).made_ns < begun_ns and 0 <= now_ns - begun_ns < _GIVEN_UP_NS
        if is_at_work or now < Reminder(every, at, by).next_due(stock.checkups.last(_DONE).made_ns, now):
            return False
        stock.checkups.put(_BEGUN, CheckedUp(now_ns))
    return True


def _found(args: argparse.Namespace, env: Environment, stock: "Stock") -> "CheckUp":
    """Return what a check-up finds; what it tells is new still when somebody looks himself."""
    from foldkeep.find.checkup import check_up
    from foldkeep.fold.accounts import seen_summaries

    usual = argparse.Namespace(**vars(args), recipes=None, trust=[], project_marker=[], inside=[])
    env.follow_drives(stock)
    with readers(stock.places.all()) as executor, env.progress(args) as progress:
        settings, runs = check_up_settings(usual, env), seen_summaries(stock)
        return check_up(stock, settings, executor, progress, remembers=False, runs=runs)
