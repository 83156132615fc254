"""Dockets of several machines: what is proposed for each of them, in a file of its own."""

import os
from collections import Counter
from collections.abc import Iterable, Iterator
from contextlib import ExitStack
from itertools import groupby
from typing import NamedTuple

from foldkeep.find.copies import Question, duplicates
from foldkeep.keep import InUse, Proposal, Wishes, open_docket, propose
from foldkeep.model import Action, DocketRow, Progress, Step, UnusableInput, no_progress, visible
from foldkeep.model.machines import is_elsewhere, split_machine
from foldkeep.model.work import reason_of

from .inventories import Inventories


class MachineDocket(NamedTuple):
    """Docket of one machine: where it lies, its spares, and those of them whose keepers are on other machines."""

    machine: str
    path: str
    spares: int
    elsewhere: int


def propose_for_machines(
    asked: Inventories,
    question: Question,
    wishes: Wishes,
    proposal: Proposal,
    progress: Progress = no_progress,
) -> Iterator[DocketRow]:
    """Yield docket rows for the sets of several machines, as `foldkeep.keep.propose` does.

    What uses a file is what its inventory says: nobody else can read the documents of its machine.

    Raises
    ------
    UnusableInput
        If an inventory does not say so.
    """
    if asked.without_uses and not wishes.ignores_projects:
        raise UnusableInput(
            f"{visible(asked.without_uses[0])} does not say what projects and catalogues use",
            "save it again as .parquet, or allow folding what they use: --ignore-projects",
        )
    progress(Step("Comparing contents", 0, None, "files"))
    found = duplicates(asked.stock, question)
    in_use = InUse({} if wishes.ignores_projects else dict(asked.stock.listing.uses()))
    yield from propose(asked.stock, found, wishes, proposal, in_use=in_use, progress=progress)


def write_dockets(folder: str, rows: Iterable[DocketRow], alone: str) -> list[MachineDocket]:
    """Write the rows of each machine into a docket of its own, and return these in order of name.

    With the spares of a machine stand the keepers of their sets, wherever these are. What is left on other machines is
    not told; a set without spares, only to a machine that has all of it.

    Parameters
    ----------
    folder
        Where to write them; made if it is not there.
    alone
        The machine of paths that name none.

    Raises
    ------
    UnusableInput
        If one cannot be written; what was begun of it is taken away again.
    """
    try:
        os.makedirs(folder, exist_ok=True)
    except OSError as error:
        raise UnusableInput(f"cannot make {visible(folder)}: {reason_of(error)}", "name another folder") from error
    spares: Counter[str] = Counter()
    elsewhere: Counter[str] = Counter()
    with ExitStack() as opened:
        dockets = {}
        for _, group in groupby(rows, key=lambda row: row.set):
            by_machine: dict[str, list[DocketRow]] = {}
            for row in group:
                by_machine.setdefault(_machine_of(row.path, alone), []).append(row)
            kept = {machine: [row for row in some if row.action is Action.KEEP] for machine, some in by_machine.items()}
            for machine, own in by_machine.items():
                going = sum(row.action is Action.FOLD for row in own)
                if not going and len(by_machine) > 1:
                    continue
                if machine not in dockets:
                    dockets[machine] = opened.enter_context(open_docket(os.path.join(folder, f"{machine}.csv")))
                others = [row for other, some in kept.items() if other != machine for row in some]
                dockets[machine][1]([*others, *map(_at_home, own)])
                spares[machine] += going
                elsewhere[machine] += going if not kept[machine] else 0
        return [
            MachineDocket(machine, path, spares[machine], elsewhere[machine])
            for machine, (path, _) in sorted(dockets.items())
        ]


def _machine_of(path: bytes, alone: str) -> str:
    return split_machine(path)[0] if is_elsewhere(path) else alone


def _at_home(row: DocketRow) -> DocketRow:
    """Return a row as its own machine knows it."""
    return row._replace(path=split_machine(row.path)[1]) if is_elsewhere(row.path) else row
