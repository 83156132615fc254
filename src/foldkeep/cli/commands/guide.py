"""Go the usual way in one sitting, a question at a time.

Look at folders, see what is there twice, hear how keepers are chosen, look at
the proposal set by set or in a browser, fold, and hear what comes next. Each
step is a command of its own, which is named, so that you can do it alone another
day. Nothing is changed before the last step asks; `stop` leaves at any question,
and says how to go on. Answers may come from a pipe, one a line.
"""

import argparse
import os
import shlex
import time
from dataclasses import dataclass, field

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

_STEPS = 5
_FEW = 8


class _Left(Exception):
    """The person has left at a question, or nobody is there to answer it."""


def run(args: argparse.Namespace, env: Environment) -> ExitStatus:
    """Go step by step, until the end or until somebody leaves."""
    from foldkeep.show.answers.guide import GuideAnswer

    # With --json, standard output is for the one document.
    talk = Environment(env.stdin, env.stderr if args.json else env.stdout, env.stderr, env.variables)
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
        for step in (self.look, self.see, self.choose, self.decide, self.fold):
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

    def see(self) -> ExitStatus:
        """Show the largest sets of copies; leave if there are none."""
        status = self._carry_out(2, "What is there twice", ["duplicates", "--top", str(_FEW)])
        if not self._has_sets():
            self.is_single = True
            raise _Left("nothing is there twice")
        return status

    def choose(self) -> ExitStatus:
        """Tell the rules in words, take those of the person, and propose."""
        folder = os.path.join(os.path.dirname(os.path.abspath(self.env.stock_path(self.args))), "guide")
        folder = os.path.join(folder, time.strftime("%Y-%m-%dT%H-%M-%S"))
        os.makedirs(folder, exist_ok=True)
        docket = os.path.join(folder, "proposed.csv")
        status = self._carry_out(3, "How the copy is chosen that stays", ["keep", "--explain"])
        while status <= ExitStatus.PROBLEMS:
            answer = self._ask(
                "Choose like this? [yes / prefer FOLDER / protect FOLDER / give up FOLDER / stop]", "yes"
            )
            rule = _rule_of(answer)
            if rule is None:
                status = self._carry_out(3, "What is proposed", ["keep", "-o", docket, *self.rules])
                if status <= ExitStatus.PROBLEMS or not self.rules:
                    self.docket = docket if os.path.exists(docket) else ""
                    return status
                self._say("Your rules are taken back.\n")
                self.rules, status = [], ExitStatus.DONE
            elif rule:
                self.rules += rule
                self._carry_out(3, "How the copy is chosen now", ["keep", "--explain", *self.rules])
            else:
                self._say("That is not understood. Press Enter to go on, or say: prefer ~/Pictures/best\n")
        return status

    def decide(self) -> ExitStatus:
        """Have the person look at the proposal, in the way that he likes."""
        answer = ""
        while not answer.startswith(("r", "sh", "n")):
            answer = self._ask("Look at it first? [review: set by set / sheet: in a browser / no / stop]", "review")
            answer = answer.lower()
        if answer.startswith("r"):
            chosen = os.path.join(os.path.dirname(self.docket), "chosen.csv")
            status = self._carry_out(4, "Set by set", ["review", self.docket, "-o", chosen])
            self.docket = chosen if os.path.exists(chosen) else self.docket
            return status
        if answer.startswith("sh"):
            from foldkeep.model import visible

            page = os.path.join(os.path.dirname(self.docket), "sheet.html")
            status = self._carry_out(4, "In a browser", ["sheet", self.docket, "-o", page])
            if status <= ExitStatus.PROBLEMS:
                self._say(f"Open {visible(page)} in a browser, choose, and save the docket there.\n")
                saved = self._ask("Where did you save it? [Enter: go on with the proposal / stop]", "-")
                self.docket = self.docket if saved == "-" else os.path.expanduser(_unquoted(saved))
            return status
        return ExitStatus.DONE

    def fold(self) -> ExitStatus:
        """Carry the docket out, which shows what it comes to and asks."""
        before = self._runs()
        status = self._carry_out(5, "Fold the spares away", ["fold", self.docket])
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


def _rule_of(answer: str) -> list[str] | None:
    """Return the options of `keep` that an answer means: none to go on, an empty list if it is not understood."""
    if answer.lower() in ("yes", "y", "ok"):
        return None
    for begin, option, before in (
        ("prefer ", "--prefer", "under:"),
        ("protect ", "--protect", ""),
        ("give up ", "--give-up-under", ""),
    ):
        if answer.lower().startswith(begin):
            return [option, before + os.path.expanduser(_unquoted(answer[len(begin) :]))]
    return []
