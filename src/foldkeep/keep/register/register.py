"""The register of the dockets of a stock, in files beside it: no command has to wait for another to use it."""

import json
import os
import re
import shutil
from collections.abc import Iterable, Mapping
from contextlib import suppress
from dataclasses import replace
from time import time_ns

from foldkeep.formats import opened_file
from foldkeep.formats.own import rewritten
from foldkeep.model import DocketRow, UnusableInput, visible
from foldkeep.model.work import reason_of

from ..by_hand import decided_sets, names_hand
from ..docket import origin_of, read_docket, write_docket
from .decisions import Decisions
from .made import DocketState, MadeDocket, SheetOf, ToldDocket
from .saving import PROPOSED, file_digest

DECIDED = "-decided"
"""What the name of a docket that was saved from a sheet has behind that of the docket of which the sheet was made."""

_FOLDER = ".dockets"
_RECORD = re.compile(r"d([1-9][0-9]{0,8})\.json")
NAME = re.compile(r"d([1-9][0-9]{0,8})")
"""Names of dockets."""
_LARGEST = 1 << 20
_LARGEST_PROPOSAL = 64 << 20  # bytes; of a larger one only what a review or a sheet decides is known
_YEAR_NS = 366 * 86_400 * 10**9


_NUMBERED = re.compile(r" ?\([0-9]+\)$")  # which browsers add to a name that is taken


def saved_of(folder: str, stem: str) -> list[str]:
    """Return the dockets of a folder that have a name, or one that a browser made of it since it was taken."""
    try:
        names = os.listdir(folder)
    except OSError:
        return []
    found = [name for name in names if _NUMBERED.sub("", name.removesuffix(".csv")) == stem and name.endswith(".csv")]
    return [os.path.join(folder, name) for name in sorted(found)]


class DocketRegister:
    """The dockets that were made of a stock, by number.

    Parameters
    ----------
    stock_path
        Where the stock lies; the register is a folder beside it.
    """

    def __init__(self, stock_path: str) -> None:
        self.folder = os.path.abspath(stock_path) + _FOLDER

    def all(self) -> list[MadeDocket]:
        """Return every docket that is remembered, the oldest first; what cannot be read is passed by."""
        try:
            names = os.listdir(self.folder)
        except OSError:
            return []
        numbers = sorted(int(found[1]) for name in names if (found := _RECORD.fullmatch(name)))
        return [made for number in numbers if (made := self._read(number)) is not None]

    def _read(self, number: int) -> MadeDocket | None:
        try:
            with opened_file(self._record(number)) as stream:
                made = MadeDocket.read(stream.read(_LARGEST))
        except (OSError, ValueError):
            return None
        return made if made.number == number else None

    def called(self, name: str) -> MadeDocket | None:
        """Return the docket of a name like ``d12``, or None."""
        found = NAME.fullmatch(name)
        return self._read(int(found[1])) if found else None

    def at(self, path: str) -> MadeDocket | None:
        """Return the last docket that was written to a path, or None."""
        real = os.path.realpath(path)
        return next((made for made in reversed(self.all()) if os.path.realpath(made.path) == real), None)

    def origin(self, path: str) -> MadeDocket | None:
        """Return the docket of which a sheet was made that a docket was saved from; None if it comes from none."""
        try:
            name, _, digest = (origin_of(path) or "").partition(" ")
        except (OSError, ValueError):
            return None
        made = self.called(name)
        known = made is not None and digest and any(sheet.digest == digest for sheet in made.sheets)
        return made if known else None

    def later_save(self, path: str) -> str:
        """Return the file that a browser saved of the same sheets after another, beside it; empty if there is none."""
        folder, name = os.path.split(os.path.abspath(path))
        stem = _NUMBERED.sub("", os.path.splitext(name)[0])
        saves = [each for each in saved_of(folder, stem) if self.origin(each) is not None]
        last = max([path, *saves], key=lambda each: (os.stat(each).st_mtime_ns, each == path))
        return "" if last == path or os.path.samefile(last, path) else last

    def state(self, made: MadeDocket) -> DocketState:
        """Return what became of a docket."""
        if made.runs:
            return DocketState.CARRIED_OUT
        if not os.path.isfile(made.path):
            return DocketState.GONE
        # What another program changed has decisions that no later docket has.
        if made.superseded_by and not self.is_changed(made):
            return DocketState.SUPERSEDED
        return DocketState.BEGUN if made.begun_ns else DocketState.OPEN

    def open(self) -> list[MadeDocket]:
        """Return the dockets that wait to be carried out, the oldest first."""
        return [made for made in self.all() if self.state(made) in (DocketState.OPEN, DocketState.BEGUN)]

    def is_changed(self, made: MadeDocket) -> bool:
        """Tell whether another program changed the file of a docket."""
        return bool(made.edited) or (os.path.isfile(made.path) and file_digest(made.path) not in made.digests)

    def decided(self, made: MadeDocket) -> dict[str, list[DocketRow]]:
        """Return the sets of a docket that a person decided about; none if it cannot be read.

        Of one that another program changed that is what differs from the proposal.
        """
        try:
            changed = self.is_changed(made)
            if not changed and not names_hand(made.path):
                return {}
            rows = read_docket(made.path)
            proposed = read_docket(self.proposal_path(made)) if changed else []
        except (OSError, UnusableInput):
            return {}
        return decided_sets(rows, {row.path: row.action for row in proposed})

    def proposal_path(self, made: MadeDocket) -> str:
        """Return the file that has a docket as it was at first: what was kept of it, else the docket itself."""
        kept = self._proposal_of(made.number)
        return kept if os.path.isfile(kept) else made.path

    def _proposal_of(self, number: int) -> str:
        return os.path.join(self.folder, f"d{number}-{PROPOSED}.csv")

    def told(self, made: MadeDocket) -> ToldDocket:
        """Return what is told of a docket."""
        return ToldDocket(made, self.state(made), len(self.decided(made)), self.is_changed(made))

    def decisions(self) -> Decisions:
        """Return what was decided in open dockets; of a file that is in several, the last one counts."""
        rows: dict[bytes, DocketRow] = {}
        for made in self.open():
            for found in self.decided(made).values():
                rows |= {row.path: row for row in found}
        return Decisions(rows)

    def write(self, rows: Iterable[DocketRow], command: str, question: Mapping[str, object]) -> MadeDocket:
        """Write a docket under the next number.

        Raises
        ------
        UnusableInput
            If the folder beside the stock cannot be written.
        """
        try:
            number = self._claimed()
        except OSError as error:
            raise UnusableInput(
                f"cannot write {visible(self.folder)}: {reason_of(error)}", "name a file instead: -o docket.csv"
            ) from error
        try:
            path = write_docket(os.path.join(self.folder, f"d{number}.csv"), rows)
        except BaseException:
            os.unlink(self._record(number))
            raise
        return self._put(self._new(number, path, command, question))

    def note(self, path: str, command: str, question: Mapping[str, object]) -> MadeDocket | None:
        """Remember a docket that was written elsewhere; None where nothing can be remembered."""
        try:
            number = self._claimed()
            if os.stat(path).st_size <= _LARGEST_PROPOSAL:
                shutil.copyfile(path, self._proposal_of(number))
            return self._put(self._new(number, os.path.abspath(path), command, question))
        except (OSError, UnusableInput):
            return None

    def says_the_same(self, made: MadeDocket) -> MadeDocket | None:
        """Return the docket that was the newest that waits, if it has no name of its own and says the same.

        An older one would leave another the newest, and that would be carried out in the place of what was shown.
        """
        before = [each for each in self.open() if each.number < made.number]
        last = before[-1] if before else None
        if last is None or os.path.dirname(last.path) != self.folder or last.question != made.question:
            return None
        return last if file_digest(last.path) == made.digests[-1] else None

    def forget(self, made: MadeDocket) -> None:
        """Take a docket out that nobody has seen yet."""
        os.unlink(self._record(made.number))
        for name in os.listdir(self.folder):
            if re.fullmatch(rf"d{made.number}\b.*\.csv", name):
                os.unlink(os.path.join(self.folder, name))

    def _new(self, number: int, path: str, command: str, question: Mapping[str, object]) -> MadeDocket:
        asked = json.dumps(question, sort_keys=True)
        return MadeDocket(number, path, command, asked, time_ns(), (file_digest(path),))

    def _claimed(self) -> int:
        """Return a number that nobody else has, after writing down that it is taken."""
        os.makedirs(self.folder, mode=0o700, exist_ok=True)
        number = 1 + max((int(found[1]) for name in os.listdir(self.folder) if (found := _RECORD.fullmatch(name))),
                         default=0)  # fmt: skip
        while True:
            try:
                with open(self._record(number), "xb"):
                    return number
            except FileExistsError:
                number += 1

    def _record(self, number: int) -> str:
        return os.path.join(self.folder, f"d{number}.json")

    def _put(self, made: MadeDocket) -> MadeDocket:
        with rewritten(self._record(made.number)) as stream:
            stream.write(made.written())
        return made

    def _noted(self, made: MadeDocket) -> MadeDocket:
        """Note what became of a docket; nobody's decision waits for what cannot be noted."""
        with suppress(OSError, UnusableInput):
            self._put(made)
        return made

    def tell_totals(self, made: MadeDocket, sets: int, spares: int, size: int) -> MadeDocket:
        """Note how much a docket proposes to fold."""
        return self._noted(replace(made, sets=sets, spares=spares, size=size))

    def supersede(self, made: MadeDocket, decisions: Decisions) -> list[MadeDocket]:
        """Let a docket take the place of open ones of the same question; return those that keep decisions of their own.

        An earlier docket whose decisions are not all in the new one stays open, and so does one that another program
        changed, or that says the same.
        """
        others = [each for each in self.open() if each.question == made.question and each.number < made.number]
        kept = []
        for each in others:
            rows = [row for found in self.decided(each).values() for row in found]
            if made.digests[-1] in each.digests:
                continue
            if self.is_changed(each) or not decisions.hold_in_new(rows):
                kept.append(each)
            else:
                self._noted(replace(each, superseded_by=made.name))
        return kept

    def saving(self, made: MadeDocket, digest: str) -> MadeDocket:
        """Note the digest that a docket is about to have, since Fold Keep saves it in place."""
        return self._noted(replace(made, digests=(made.digests[-1], digest), edited=int(self.is_changed(made))))

    def version(self, made: MadeDocket, path: str) -> MadeDocket | None:
        """Remember a later version of a docket, which takes its place; None where nothing can be remembered."""
        later = self.note(path, made.command, json.loads(made.question))
        if later is not None:
            later = self._noted(replace(later, sets=made.sets, spares=made.spares, size=made.size))
            self._noted(replace(made, superseded_by=later.name))
        return later

    def saved_from_sheets(self, made: MadeDocket, folder: str) -> str:
        """Return the last docket in a folder that was saved from a sheet of another; empty if there is none."""
        saves = [
            path
            for name in {made.name, os.path.splitext(os.path.basename(made.path))[0]}
            for path in saved_of(folder, f"{name}{DECIDED}")
            if self.origin(path) == made
        ]
        return max(saves, key=lambda each: os.stat(each).st_mtime_ns, default="")

    def differing(self, made: MadeDocket, rows: Iterable[DocketRow]) -> int:
        """Return how many sets were decided in a docket otherwise than in one that was saved from a sheet of it."""
        actions = {row.path: row.action for row in rows}
        decided = self.decided(made).values()
        return sum(any(actions.get(row.path) is not row.action for row in found) for found in decided)

    def note_sheet(self, made: MadeDocket, page: str) -> MadeDocket:
        """Note that a sheet was made of a docket as it is now."""
        sheet = SheetOf(os.path.abspath(page), time_ns(), file_digest(made.path))
        return self._noted(replace(made, sheets=(*made.sheets, sheet)))

    def begin(self, made: MadeDocket) -> MadeDocket:
        """Note that a docket is about to be carried out."""
        return self._noted(replace(made, begun_ns=time_ns()))

    def end(self, made: MadeDocket, run: int, left: int) -> MadeDocket:
        """Note that a docket was carried out by a run, which left some of its files, and others that say the same."""
        for each in self.open():
            if each.number != made.number and file_digest(each.path) == made.digests[-1]:
                self._noted(replace(each, superseded_by=made.name))
        return self._noted(replace(made, runs=(*made.runs, run), left=left))

    def drop_old(self) -> None:
        """Forget dockets of more than a year ago; one with decisions that were not carried out stays."""
        before = time_ns() - _YEAR_NS
        for made in self.all():
            if made.made_ns >= before:
                continue
            waits = self.state(made) in (DocketState.OPEN, DocketState.BEGUN)
            if waits and (self.is_changed(made) or self.decided(made)):
                continue
            with suppress(OSError):
                self.forget(made)
