"""The check-up as a whole: scan what is here, look under each topic, remember what was found."""

import time
from collections.abc import Callable, Collection, Mapping, Sequence
from concurrent.futures import Executor
from contextlib import suppress
from dataclasses import dataclass, field
from datetime import timedelta
from functools import cached_property

from foldkeep.model import PathBytes, Progress, RunSummary, Settings, Step, UnusableInput
from foldkeep.model.errors import StockBusy
from foldkeep.model.recipes import Recipe
from foldkeep.model.reminders import CheckedUp
from foldkeep.scan import Presence, ScanReport, presences, scan
from foldkeep.signals import Measures
from foldkeep.stock import Stock

from ..derived import Regenerable, caches
from ..references import ProjectFolders
from .findings import Finding, Topic


@dataclass(frozen=True)
class CheckUpSettings:
    """What a check-up goes by.

    Attributes
    ----------
    scan
        What scans look at.
    recipes
        By which derived files are recognised.
    projects_of
        Returns the folders of projects of a stock, after it was scanned.
    user_cache
        The user's folder for caches.
    quiet_after, release_after
        From when on a project is called quiet, and a fold waits for long.
    """

    scan: Settings
    recipes: Sequence[Recipe]
    projects_of: Callable[[Stock], ProjectFolders] = ProjectFolders
    user_cache: PathBytes = b""
    quiet_after: timedelta = timedelta(days=183)
    release_after: timedelta = timedelta(days=30)


@dataclass
class CheckUp:
    """What a check-up found.

    Attributes
    ----------
    findings
        One for each topic that was asked for, in their order.
    report
        What the scan saw; with all problems that there were.
    seconds
        How long all of it took.
    """

    report: ScanReport
    findings: list[Finding] = field(default_factory=list)
    seconds: float = 0.0

    @property
    def wanting(self) -> list[Finding]:
        """The findings that want a person."""
        return [finding for finding in self.findings if finding.wants_person]


class View:
    """The stock after the scan, with what several topics ask for."""

    def __init__(
        self,
        stock: Stock,
        settings: CheckUpSettings,
        here: Mapping[int, Presence],
        progress: Progress,
        runs: Sequence[RunSummary] = (),
    ) -> None:
        self.stock, self.settings, self.here, self.progress, self.runs = stock, settings, here, progress, runs
        self.now_ns = time.time_ns()

    def before_ns(self, age: timedelta) -> int:
        """Return the moment that is so long ago."""
        return self.now_ns - round(age.total_seconds() * 1e9)

    def last(self, topic: Topic) -> CheckedUp:
        """Return what the last check-up found under a topic."""
        return self.stock.checkups.last(topic)

    @cached_property
    def projects(self) -> ProjectFolders:
        """The folders of projects."""
        return self.settings.projects_of(self.stock)

    @cached_property
    def measures(self) -> Measures:
        """What the stock remembers of films and their proxies; films are not compared for a check-up."""
        return Measures(self.stock, films=(), progress=self.progress)

    @cached_property
    def derived(self) -> list[Regenerable]:
        """The files that are proved to be made again, those that somebody works with now included."""
        found = caches(
            self.stock, self.settings.recipes, None, self.projects, self.settings.user_cache, self.measures
        )  # fmt: skip
        return [*found.found, *(each for each, _ in found.in_use if each.grade.may_go)]


def check_up(
    stock: Stock,
    settings: CheckUpSettings,
    executor: Executor,
    progress: Progress,
    topics: Collection[Topic] = tuple(Topic),
    *,
    remembers: bool = True,
    runs: Sequence[RunSummary] = (),
) -> CheckUp:
    """Scan the places that are here, and tell what has changed and what wants a person.

    Parameters
    ----------
    stock
        A stock; it is held while it is scanned and written to.
    executor
        Runs the reading, as for `scan`.
    topics
        What is looked at.
    remembers
        Write down what was found, so that the next check-up tells only what is new then.

    runs
        The runs as their folds show them.

    Raises
    ------
    UnusableInput
        If no place is known.
    StockBusy
        If another Fold Keep is at work.
    """
    from .topics import LOOKS

    started = time.monotonic()
    here = presences(stock)
    if not here:
        raise UnusableInput("no place is known yet", "name a folder: foldkeep scan DIR")
    places = [place for place in stock.places.all() if here[place.id] in (Presence.HERE, Presence.SERVER)]
    found = CheckUp(ScanReport())
    if places:
        with stock.hold("checkup"):
            found.report = scan(stock, places, executor, progress, settings.scan)
    view = View(stock, settings, here, progress, runs)
    for topic in Topic:
        if topic in topics:
            progress(Step(f"Looking at {topic}", 0, None, "files"))
            found.findings.append(LOOKS[topic](view))
    if remembers:
        with suppress(StockBusy):  # then the next check-up tells once more what this one told
            _remember(stock, found.findings, view.now_ns)
    found.seconds = time.monotonic() - started
    return found


def _remember(stock: Stock, findings: Sequence[Finding], now_ns: int) -> None:
    with stock.hold("checkup"), stock.transaction(flush=False):
        for finding in findings:
            names = frozenset(item.key for item in finding.items)
            stock.checkups.put(finding.topic, CheckedUp(now_ns, finding.count, finding.bytes, names))
            if finding.topic is Topic.SPARES:
                stock.checkups.put_spares()
