"""Look at a docket set by set, and change what it proposes.

The copies of each set are numbered; what they have in common is said once, what
differs side by side. Answer with numbers of copies to keep, or a word; `help`
lists them, `undo` takes the last answer back. Every decision is saved at once in
the docket itself, and the proposal is kept beside it; the next `review` goes on
where you were. Without a name the newest docket that waits is taken. One that
another program changes meanwhile is not written over: then decisions go into a
new file, and that is said. Answers may come from a pipe, one a line.
"""

import argparse
from typing import TYPE_CHECKING

from ..dockets import ChosenDocket, docket_in_use, register_of, tell_docket, tell_none
from ..environment import Environment, ExitStatus
from ..options import Option, Takes

if TYPE_CHECKING:
    from collections.abc import Sequence

    from foldkeep.keep import Review
    from foldkeep.keep.register import DocketFile
    from foldkeep.model import DocketRow, Facts
    from foldkeep.show.page import Page
    from foldkeep.signals import Apart

EXAMPLES = """\
examples:
  foldkeep review
  foldkeep review docket.csv -o chosen.csv
  foldkeep review docket.csv --json < answers.txt
"""


OPTIONS = (
    Option("docket", "a docket's number or file (else the newest that waits)", Takes.DOCKET, "DOCKET", optional=True),
    Option("-o", "save decisions in a new file (else in the docket itself)", Takes.FILE, "FILE", to="saved"),
    Option("--all", "begin with the first set, also if it was decided before"),
)


def run(args: argparse.Namespace, env: Environment) -> ExitStatus:
    """Ask about each set, save each answer."""
    from foldkeep.keep import Review
    from foldkeep.keep.lessons import lesson_of_review
    from foldkeep.keep.register import DocketFile
    from foldkeep.show.answers.review import ReviewAnswer

    chosen = docket_in_use(args, env)
    if chosen is None:
        return tell_none(args, env, ReviewAnswer("", None, 0, 0, 0))
    tell_docket(args, env, chosen)
    file = DocketFile(chosen.path)
    review = Review(file.rows)
    dialog = _Dialog(args, env, review, chosen, file)
    try:
        dialog.hold(0 if args.all else _first_open(review))
    finally:
        dialog.close()
        dialog.save()
    left = sum(not review.is_decided(at) for at in range(len(review)))
    lesson = lesson_of_review(*review.changes())
    where = dialog.chosen
    saved = where.path if dialog.is_saved else None
    kept = file.proposal if saved != file.proposal else ""
    env.answer(args, ReviewAnswer(chosen.path, saved, len(review), review.changed, left, lesson, where.name, kept))
    if any(row.action == "fold" for row in review.all_rows()):
        env.next(args, "fold", where.name)
    return ExitStatus.DONE


def _first_open(review: "Review") -> int:
    return next((at for at in range(len(review)) if not review.is_decided(at)), 0)


_WORDS = {word[0]: word for word in ("all", "give", "open", "folder", "back", "undo", "stop", "help")} | {
    "q": "stop", "quit": "stop", "?": "help", "n": "all", "no": "all", "y": "", "yes": "", "next": "",
}  # fmt: skip
_SLOW_SAVE = 0.1  # seconds; saves that take less are made after every answer


class _Dialog:
    """Asks, understands, saves."""

    def __init__(
        self, args: argparse.Namespace, env: Environment, review: "Review", chosen: ChosenDocket, file: "DocketFile"
    ) -> None:
        self._args = args
        self._env = env
        self._review = review
        self._file = file
        self.chosen = chosen
        self.is_saved = False
        self._unsaved = False
        self._next_save = 0.0
        self._helper: Apart | None = None

    def hold(self, at: int) -> None:
        """Go through the sets from a position on, until the last one, the end of the input, or `q`."""
        from foldkeep.model import UnusableInput
        from foldkeep.show.answers.review import HELP, question_of, write_refusal, write_set
        from foldkeep.signals import copy_states

        # With --json, standard output is for the one document.
        page = self._env.page(self._args, self._env.stderr if self._args.json else None)
        shown = -1
        if self._env.stdin.isatty() and at < len(self._review):
            self._say(HELP)
        while at < len(self._review):
            rows = self._review.rows(at)
            if shown != at:
                states = copy_states([row.path for row in rows])
                write_set(page, at, len(self._review), rows, states, self._says(rows))
                shown = at
            words = self._ask(question_of(rows))
            if words is None or words == ["stop"]:
                return
            try:
                if words == ["help"]:
                    self._say(HELP)
                elif words == ["back"]:
                    at, shown = max(0, at - 1), -1
                elif words == ["undo"]:
                    at, shown = self._review.undo(), -1
                    self._unsaved = True
                else:
                    at += self._carry_out(at, words, page)
            except UnusableInput as error:
                write_refusal(page, str(error))
            self._save_soon()

    def _says(self, rows: "Sequence[DocketRow]") -> "list[Facts]":
        """Return what media of several contents say of themselves; nothing where they have one, or cannot be asked."""
        from foldkeep.model import Facts
        from foldkeep.model.extras import has_extra
        from foldkeep.signals import MEDIA, Apart, NotRead

        if len({row.digest for row in rows}) < 2 or rows[0].kind not in MEDIA or not has_extra("media"):
            return []
        self._helper = self._helper or Apart()
        found = []
        for row in rows:
            try:
                found.append(self._helper.facts(row.path, row.kind))
            except NotRead as error:
                found.append(Facts(problem=str(error)))
        return found

    def close(self) -> None:
        """End the helper that was asked what media say."""
        if self._helper is not None:
            self._helper.close()

    def _ask(self, question: str) -> list[str] | None:
        """Ask, and return the words of the answer, those that are known whole; None if there is no more of them."""
        self._say(question)
        line = self._env.stdin.readline()
        if not self._env.stdin.isatty():
            self._say("\n")
        if not line:
            return None
        first, *others = line.lower().replace(",", " ").split() or [""]
        return [whole for whole in (_WORDS.get(first, first), *others) if whole]

    def _say(self, text: str) -> None:
        stream = self._env.stderr if self._args.json else self._env.stdout
        stream.write(text)
        stream.flush()

    def _carry_out(self, at: int, words: list[str], page: "Page") -> int:
        """Do what was answered and return how many sets to go on; UnusableInput if it is not understood."""
        from foldkeep.model import UnusableInput, visible
        from foldkeep.show.answers.review import write_going
        from foldkeep.show.page import count

        review = self._review
        word, numbers = (words[0], words[1:]) if words and words[0].isalpha() else ("", words)
        if not all(number.isdecimal() for number in numbers):
            raise UnusableInput(f"{visible(' '.join(words))!r} is not understood", "help lists what is")
        copies = [int(number) for number in numbers]
        if not words:
            write_going(page, review.rows(at))
            return 1
        if word == "all" and not copies:
            review.keep_all(at)
        elif word == "give" and len(copies) == 1:
            folder, changed = review.give_up_folder(at, copies[0])
            if not changed:
                raise UnusableInput(
                    f"nothing more goes from {visible(folder)}", "all there is given up, or has no copy elsewhere"
                )
            page.line(f"{visible(folder)} is given up from here on; that changes {count(changed, 'set')}.")
        elif word in ("open", "folder") and len(copies) == 1:
            self._open(at, copies[0], folder=word == "folder")
            return 0
        elif not word:
            review.keep(at, copies)
            write_going(page, review.rows(at))
        else:
            raise UnusableInput(f"{visible(' '.join(words))!r} is not understood", "help lists what is")
        self._unsaved = True
        return 1

    def _open(self, at: int, number: int, *, folder: bool) -> None:
        """Open a copy or its folder in the desktop's program."""
        import os
        import shutil
        import subprocess
        import sys

        from foldkeep.model import UnusableInput
        from foldkeep.model.names import file_uri
        from foldkeep.model.remote import is_remote

        path = self._review.copy(at, number).path
        path = os.path.dirname(path) if folder else path
        opener = shutil.which("open" if sys.platform == "darwin" else "xdg-open", path=self._env.variables.get("PATH"))
        if opener is None:
            raise UnusableInput("this desktop has no program to open files with", f"look at {os.fsdecode(path)!r}")
        # Through a shell that puts it into the background: it may stay open long after this review.
        what = file_uri(path) if is_remote(path) else os.fsdecode(path)
        line = ["sh", "-c", '"$0" "$1" </dev/null >/dev/null 2>&1 &', opener, what]
        subprocess.run(line, check=False, start_new_session=True)

    def _save_soon(self) -> None:
        """Save, but spend no more than a tenth of the time on it where the docket is large."""
        import time

        if self._unsaved and time.monotonic() >= self._next_save:
            began = time.monotonic()
            self.save()
            took = time.monotonic() - began
            self._next_save = began + 10 * took if took > _SLOW_SAVE else 0

    def save(self) -> None:
        """Save what is not saved yet."""
        from foldkeep.model import visible

        if not self._unsaved:
            return
        before, made = self.chosen.path, self.chosen.made
        beside = self._args.saved if self._args.saved and not self.is_saved else ""
        register = register_of(self._args, self._env)

        def note(digest: str) -> None:
            nonlocal made
            made = register.saving(made, digest) if made else None

        path = self._file.save(self._review.all_rows(), note, beside)
        if path != before:
            if not beside:
                self._env.stderr.write(
                    f"{visible(before)} is not as Fold Keep wrote it, so decisions are saved in {visible(path)}\n"
                )
            made = register.version(made, path) if made else None
        self.chosen, self.is_saved, self._unsaved = ChosenDocket(path, made), True, False
