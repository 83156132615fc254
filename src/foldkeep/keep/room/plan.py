"""A plan that makes room on a volume, step by step, until there is enough."""

from collections.abc import Iterator
from dataclasses import dataclass, field, replace

from foldkeep.model import Action, DocketRow, PathBytes

from .sources import SOURCES, Room, Source, Unit


@dataclass
class RoomStep:
    """A step of a plan.

    Attributes
    ----------
    files, bytes
        How many files go with it, and what comes free on the volume then.
    rows
        Of its docket.
    runs
        Numbers of the runs to release; empty for all other steps.
    """

    source: Source
    files: int = 0
    bytes: int = 0
    rows: list[DocketRow] = field(default_factory=list)
    runs: list[int] = field(default_factory=list)

    def command(self, docket: str) -> str:
        """Return what carries it out."""
        return self.source.command.format(docket=docket, runs=" ".join(map(str, self.runs)))


@dataclass
class RoomPlan:
    """A plan.

    Attributes
    ----------
    wanted
        Bytes that are to come free.
    steps
        In order of regret; steps that free nothing are left out.
    """

    wanted: int
    steps: list[RoomStep] = field(default_factory=list)

    @property
    def bytes(self) -> int:
        """What comes free with all steps."""
        return sum(step.bytes for step in self.steps)

    @property
    def missing(self) -> int:
        """What is missing then; 0 if that is enough."""
        return max(0, self.wanted - self.bytes)


def plan_room(room: Room, wanted: int) -> RoomPlan:
    """Plan how so many bytes come free on a volume, with the least regret; nothing is changed.

    What goes in one step goes in no other, and what a step needs to stay does not go in a later one.
    """
    plan = RoomPlan(wanted)
    going: set[PathBytes] = set()
    room = replace(room, wanted=wanted, going=going)
    staying: set[PathBytes] = set()
    for source in SOURCES:
        if not plan.missing:
            break
        step = RoomStep(source)
        plan.steps.append(step)
        for unit in _fitting(source.units(room), going, staying):
            step.files += unit.files
            step.bytes += unit.bytes
            step.rows += unit.rows
            going |= unit.paths
            staying |= {row.path for row in unit.rows if row.action is Action.KEEP}
            if source.word == "folds":
                step.runs.append(int(unit.rows[0].set[1:]))
            if not plan.missing:
                break
        if not step.bytes:
            plan.steps.pop()
    return plan


def _fitting(units: Iterator[Unit], going: set[PathBytes], staying: set[PathBytes]) -> Iterator[Unit]:
    """Yield units that free something and do not stand against what was planned before."""
    for unit in units:
        keeps = {row.path for row in unit.rows if row.action is Action.KEEP}
        if unit.bytes and unit.paths.isdisjoint(going) and unit.paths.isdisjoint(staying) and keeps.isdisjoint(going):
            yield unit
