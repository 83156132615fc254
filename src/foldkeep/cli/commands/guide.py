"""Go the usual way in one sitting: look at folders, see the proposal, fold.

Fold Keep reads your folders and shows what it proposes, folder by folder. Then
you say what to do: fold, look at it in a browser or set by set, or choose by
other rules. Each step is a command of its own, which is named, so that you can do
it alone another day. Nothing is changed before the last step asks; `stop` leaves
at any question and says how to go on. Answers may come from a pipe, one a line.
"""

import argparse
import os
import shlex
import time
from dataclasses import dataclass, field

from foldkeep.model import visible

from ..dockets import docket_named, register_of
from ..environment import Environment, ExitStatus
from ..options import CONFIG, Option, Takes

EXAMPLES = """\
examples:
  foldkeep guide ~/Pictures
  foldkeep guide
"""

OPTIONS = (
    Option(
        "folder", "folders to look at (else all that are known)", Takes.FOLDER, "FOLDER", several=True, optional=True
    ),
    CONFIG,
)

_STEPS = 3
_QUESTION = "What now? [fold / browser / review / rules / help / stop]"
_HELP = """\
  fold      carry the proposal out; it asks once more before anything is moved
  browser   make a page with pictures, to look at and to decide on
  review    go through it set by set, here
  rules     see how copies are chosen, and choose otherwise
  stop      leave; the proposal is kept
"""
_RULES = "Which rule? [prefer FOLDER / protect FOLDER / give up FOLDER / back / stop]"
_RULES_HELP = """\
  prefer FOLDER    the copy in this folder stays
  protect FOLDER   nothing in this folder goes
  give up FOLDER   what lies in this folder goes first, if there is a copy elsewhere
  back             choose as before
"""


class _Left(Exception):
    """The person has left at a question, or nobody is there to answer it."""


def run(args: argparse.Namespace, env: Environment) -> ExitStatus:
    """Go step by step, until the end or until somebody leaves."""
    from foldkeep.show.answers.guide import GuideAnswer

    # With --json, standard output is for the one document.
    talk = Environment(env.stdin, env.stderr if args.json else env.stdout, env.stderr, env.variables)
    talk.names_next = False  # the guide asks what comes next
    sitting = _Sitting(args, talk)
    status = ExitStatus.DONE
    try:
        status = sitting.go()
    except _Left as left:
        if not env.stdin.isatty() and not str(left):
            status = ExitStatus.PROBLEMS
            env.stderr.write("foldkeep guide: nobody answered, so it ends here; nothing was folded\n")
    env.answer(args, GuideAnswer(sitting.done, sitting.docket, sitting.folded, sitting.going_on()))
    return status


@dataclass
class _Sitting:
    """One way through: `done` has the commands that were carried out, `folded` the number of the run, 0 if none."""

    args: argparse.Namespace
    env: Environment
    done: list[str] = field(default_factory=list)
    docket: str = ""
    folded: int = 0
    rules: list[str] = field(default_factory=list)
    is_single: bool = False

    def go(self) -> ExitStatus:
        """Go through all steps; return the status of the one that ended it."""
        for step in (self.look, self.propose, self.decide):
            status = step()
            if status > ExitStatus.PROBLEMS:
                return status
        return ExitStatus.DONE

    def look(self) -> ExitStatus:
        """Scan the folders that are named, or those that are known."""
        folders = [*self.args.folder]
        if not folders and not self._has_places():
            folder = self._ask("Which folder are your pictures, films or music in?")
            folders = [os.path.expanduser(_unquoted(folder))]
        named = [f"./{folder}" if folder.startswith("-") else folder for folder in folders]
        return self._carry_out(1, "Look at what is there", ["scan", *named])

    def propose(self) -> ExitStatus:
        """Propose by the rules so far; leave if nothing is there twice."""
        if not self._has_sets():
            self.is_single = True
            self._say("\nNothing to do: no two files that were read have the same content.\n")
            raise _Left("nothing is there twice")
        status = self._carry_out(2, "What is there twice, and what may go", ["keep", *self.rules])
        if status > ExitStatus.PROBLEMS and self.rules:
            self._say("Your rules are taken back.\n")
            self.rules = []
            return self.propose()
        waiting = register_of(self.args, self.env).open()
        self.docket = waiting[-1].shown if waiting else ""
        return status

    def decide(self) -> ExitStatus:
        """Ask what to do with the proposal, until it is folded or the person leaves."""
        steps = {"fold": self.fold, "browser": self.show, "review": self.review, "rules": self.choose}
        while True:
            answer = self._ask(_QUESTION, "help").lower()
            found = [name for name in steps if name.startswith(answer)]
            if len(found) != 1 or (answer == "r"):
                self._say(_HELP if answer in ("help", "h", "?") else f"{visible(answer)!r} is not understood.\n{_HELP}")
                continue
            status = steps[found[0]]()
            if status > ExitStatus.PROBLEMS or self.folded:
                return status

    def review(self) -> ExitStatus:
        """Go through the proposal set by set."""
        return self._carry_out(3, "Set by set", ["review", self.docket])

    def show(self) -> ExitStatus:
        """Make a page of the proposal, and take the docket that the browser saved."""
        page = os.path.join(os.path.dirname(os.path.abspath(self.env.stock_path(self.args))), "guide")
        os.makedirs(page, exist_ok=True)
        page = os.path.join(page, f"{time.strftime('%Y-%m-%dT%H-%M-%S')}.html")
        made = docket_named(self.args, self.env, self.docket).made
        status = self._carry_out(3, "In a browser", ["sheet", self.docket, "-o", page])
        if status > ExitStatus.PROBLEMS:
            return status
        self._say(f"Open {visible(page)} in a browser, choose, and press Save docket there.\n")
        self._ask("Press Enter when it is saved.", "saved")
        register = register_of(self.args, self.env)
        made = register.called(made.name) if made else None
        saved = register.saved_from_sheets(made, self.env.downloads()) if made else ""
        if not saved:
            saved = self._ask(f"It is not in {visible(self.env.downloads())}. Where is it? [Enter: nowhere]", "-")
            saved = "" if saved == "-" else os.path.expanduser(_unquoted(saved))
        if saved:
            self.docket = saved
            self._say(f"From here on your decisions count: {visible(saved)}\n")
        return status

    def choose(self) -> ExitStatus:
        """Tell the rules in words, take one of the person's, and propose anew."""
        self._carry_out(3, "How the copy is chosen that stays", ["keep", "--explain", *self.rules])
        while True:
            answer = self._ask(_RULES, "back")
            rule = _rule_of(answer)
            if answer.lower() in ("back", "b"):
                return ExitStatus.DONE
            if rule:
                self.rules += rule
                return self.propose()
            self._say(_RULES_HELP)

    def fold(self) -> ExitStatus:
        """Carry the docket out, which shows what it comes to and asks."""
        before = self._runs()
        status = self._carry_out(3, "Fold the spares away", ["fold", self.docket])
        last = self._runs()
        self.folded = last if last > before else 0
        return status

    def going_on(self) -> list[str]:
        """Return commands to go on with."""
        if self.folded:
            return [f"foldkeep unfold {self.folded}", "foldkeep release --older-than 30d", "foldkeep remind --every 2w"]
        if self.docket:
            return [f"foldkeep review {shlex.quote(self.docket)}", f"foldkeep fold {shlex.quote(self.docket)}"]
        return ["foldkeep checkup", "foldkeep remind --every 2w" if self.is_single else "foldkeep guide"]

    def _carry_out(self, number: int, what: str, words: list[str]) -> ExitStatus:
        """Carry out a command, as it would be typed."""
        from ..main import run_words

        line = shlex.join(["foldkeep", *words])
        page = self.env.page(self.args)
        page.rule(what, f"{number} of {_STEPS}")
        page.line((line, "cyan"))
        page.line()
        self.done.append(line)
        return ExitStatus(run_words([*words, *self._common(words[0])], self.env))

    def _common(self, command: str) -> list[str]:
        """Return the options that hold for every command of this sitting."""
        words = ["--stock", self.env.stock_path(self.args)]
        words += ["--no-color"] if self.args.no_color else []
        return words + (["--config", self.args.config] if self.args.config and command != "review" else [])

    def _ask(self, question: str, usual: str = "") -> str:
        """Ask and return the answer; raise _Left if somebody wants to stop, or nobody is there."""
        self._say(f"\n{question} ")
        line = self.env.stdin.readline()
        if not self.env.stdin.isatty():
            self._say(line if line.endswith("\n") else "\n")
        if not line:
            raise _Left
        answer = line.strip()
        if answer.lower() in ("stop", "s", "q", "quit") or not (answer or usual):
            raise _Left("asked for")
        return answer or usual

    def _say(self, text: str) -> None:
        self.env.stdout.write(text)
        self.env.stdout.flush()

    def _has_places(self) -> bool:
        from foldkeep.stock import Stock

        path = self.env.stock_path(self.args)
        if not os.path.exists(path):
            return False
        with Stock.open(path) as stock:
            return bool(stock.places.all())

    def _has_sets(self) -> bool:
        from foldkeep.find.copies import Question, duplicates
        from foldkeep.stock import Stock

        with Stock.open(self.env.stock_path(self.args)) as stock:
            return len(duplicates(stock, Question())) > 0

    def _runs(self) -> int:
        """Return the number of the last run in the ledger; 0 if there is none."""
        from foldkeep.stock import Stock

        with Stock.open(self.env.stock_path(self.args)) as stock:
            return max((summary.run.id for summary in stock.ledger.summaries()), default=0)


def _unquoted(text: str) -> str:
    """Return a path as it was typed, or dragged into the terminal: without quotes around it or escapes of spaces."""
    text = text.strip()
    try:
        words = shlex.split(text)
    except ValueError:  # an apostrophe of a name
        return text
    return words[0] if len(words) == 1 else text


def _rule_of(answer: str) -> list[str]:
    """Return the options of `keep` that an answer means; none if it is not understood."""
    for begin, option, before in (
        ("prefer ", "--prefer", "under:"),
        ("protect ", "--protect", ""),
        ("give up ", "--give-up-under", ""),
    ):
        if answer.lower().startswith(begin):
            return [option, before + os.path.expanduser(_unquoted(answer[len(begin) :]))]
    return []
