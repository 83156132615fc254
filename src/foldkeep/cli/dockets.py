"""The docket that a command takes: one that is named, or the newest that waits; and what it is that waits."""

import os
import shlex
from typing import TYPE_CHECKING, NamedTuple

from .environment import Environment, ExitStatus

if TYPE_CHECKING:
    from argparse import Namespace
    from collections.abc import Iterable

    from foldkeep.keep import Proposal
    from foldkeep.keep.register import Decisions, DocketRegister, MadeDocket
    from foldkeep.model import DocketRow
    from foldkeep.show.answers import Answer

MOST_FOLDERS = 10
"""How many folders are shown from which files go, unless all are asked for."""

_SHOWING = frozenset("--json -j --quiet -q --yes -y --no-progress --no-color --debug --details".split())
_PRESENTATION = frozenset(
    "stock json quiet no_color no_progress debug words docket explain learn details afresh page png".split()
)


class ChosenDocket(NamedTuple):
    """A docket that is used: where it lies, and what is remembered of it; `made` is None where nothing is."""

    path: str
    made: "MadeDocket | None" = None

    @property
    def name(self) -> str:
        """What a person types for it: its number if it has no place of its own."""
        made = self.made
        return made.name if made is not None and made.shown == made.name else self.path


def register_of(args: "Namespace", env: Environment) -> "DocketRegister":
    """Return the register of the dockets of the stock in use."""
    from foldkeep.keep.register import DocketRegister

    return DocketRegister(env.stock_path(args))


def docket_named(args: "Namespace", env: Environment, text: str) -> ChosenDocket:
    """Return the docket of a path or of a name like ``d12``; raise UnusableInput if no docket has that name."""
    from foldkeep.keep.register import NAME
    from foldkeep.model import UnusableInput, visible

    register = register_of(args, env)
    if os.path.lexists(text) or not NAME.fullmatch(text):
        return ChosenDocket(text, register.at(text))
    made = register.called(text)
    if made is None:
        dockets = register.all()
        known = f"the newest is {dockets[-1].name}" if dockets else "make one: foldkeep keep"
        raise UnusableInput(f"there is no docket {text}", known)
    if not os.path.isfile(made.path):
        raise UnusableInput(f"{text} was {visible(made.path)}, which is gone", "make one anew: foldkeep keep")
    return ChosenDocket(made.path, made)


def docket_in_use(
    args: "Namespace", env: Environment, *, to_fold: bool = False, superseded: bool = False
) -> ChosenDocket | None:
    """Return the docket that is named, or the newest that waits; None if none does.

    Parameters
    ----------
    to_fold
        One that proposes something to fold.
    superseded
        Take one that is named though another took its place.

    Raises
    ------
    UnusableInput
        If there is no such docket, or a later one took its place.
    """
    from foldkeep.keep.register import DocketState
    from foldkeep.model import UnusableInput, visible

    register = register_of(args, env)
    if not args.docket:
        waiting = [
            made
            for made in register.open()
            if not to_fold or made.spares or register.is_changed(made) or register.decided(made)
        ]
        return ChosenDocket(waiting[-1].path, waiting[-1]) if waiting else None
    chosen = docket_named(args, env, args.docket)
    made = chosen.made
    if made is not None and not superseded and register.state(made) is DocketState.SUPERSEDED:
        later = register.called(made.superseded_by)
        newer = later.shown if later else made.superseded_by
        raise UnusableInput(
            f"{visible(args.docket)} is superseded: {visible(newer)} took its place",
            f"look at that one: {env.line(args, args.words[0], newer)}",
        )
    return chosen


def tell_docket(args: "Namespace", env: Environment, chosen: ChosenDocket) -> None:
    """Say which docket is used where none was named: how old it is, and how much a person decided in it."""
    if chosen.made is None or args.docket or args.quiet:
        return
    from foldkeep.show.answers.dockets import docket_words

    register = register_of(args, env)
    page = env.page(args, env.stderr if args.json else None)
    page.line(f"Docket {docket_words(register.told(chosen.made))}")
    for other in map(register.told, register.open()):
        if other.made.number != chosen.made.number and (other.decided or other.is_changed):
            by_hand = f"you decided {other.decided:,} of its sets" if other.decided else "another program changed it"
            page.line(f"{other.made.shown} waits as well: {by_hand}.")


def tell_none(args: "Namespace", env: Environment, nothing: "Answer") -> ExitStatus:
    """Say why no docket waits, and what comes next; `nothing` is the answer of a command that did nothing."""
    from foldkeep.keep.register import DocketState
    from foldkeep.show.answers.dockets import nothing_words

    if args.json:
        env.answer(args, nothing)
        return ExitStatus.DONE
    register = register_of(args, env)
    done = [made for made in register.all() if register.state(made) is DocketState.CARRIED_OUT]
    env.page(args).line(nothing_words(done[-1] if done else None))
    env.next(args, "keep")
    return ExitStatus.DONE


def question_of(args: "Namespace") -> dict[str, object]:
    """Return what a command line asks, but for how it is answered: equal for equal questions."""
    asked: dict[str, object] = {}
    for name, value in sorted(vars(args).items()):
        if name in _PRESENTATION or value in (None, False, [], ""):
            continue
        if name in ("under", "not_under", "give_up_under"):
            value = [os.path.realpath(folder) for folder in value]
        several = isinstance(value, list)
        asked[name] = (list if name == "prefer" else sorted)(map(str, value)) if several else str(value)
    return asked


def command_line(args: "Namespace") -> str:
    """Return a command line as it was typed, without where to write and how to show."""
    left: list[str] = []
    skip = False
    for word in args.words:
        if skip:
            skip = False
        elif word in ("-o", "--stock"):
            skip = True
        elif word not in _SHOWING and not word.startswith("--stock="):
            left.append(word)
    return shlex.join(left)


def write_made(
    args: "Namespace", register: "DocketRegister", rows: "Iterable[DocketRow]", proposal: "Proposal"
) -> ChosenDocket:
    """Write a docket, to the file that is named or under the next number, and remember it."""
    from foldkeep.keep import write_docket

    line, question = command_line(args), question_of(args)
    if args.docket:
        path = write_docket(args.docket, rows)
        made = register.note(path, line, question)
    else:
        register.drop_old()
        made = register.write(rows, line, question)
        path = made.path
        same = register.says_the_same(made)
        if same or not proposal.sets:
            register.forget(made)
            return ChosenDocket(same.path, same) if same else ChosenDocket("")
    if made is not None:
        made = register.tell_totals(made, proposal.reasons.total(), proposal.spares, proposal.reclaimable)
    return ChosenDocket(path, made)


def tell_others(args: "Namespace", env: Environment, chosen: ChosenDocket, decisions: "Decisions") -> None:
    """Let a new docket take the place of others, and name those that keep decisions of their own."""
    if chosen.made is None:
        return
    for kept in register_of(args, env).supersede(chosen.made, decisions):
        env.stderr.write(f"{kept.shown} has decisions of yours that {chosen.name} has not; it waits as well\n")


def typed_filters(words: list[str]) -> list[str]:
    """Return the filters of a command line as they were typed, to be handed to another command."""
    from .options import FILTERS

    names = {option.name for option in FILTERS}
    found: list[str] = []
    for at, word in enumerate(words):
        if word in names:
            found += words[at : at + 2]
        elif word.partition("=")[0] in names:
            found.append(word)
    return found
