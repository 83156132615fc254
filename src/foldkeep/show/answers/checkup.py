"""The check-up: a line a topic, each with the command to go on with."""

import shlex
import time
from collections.abc import Callable, Sequence
from dataclasses import asdict
from typing import NamedTuple

from foldkeep.find.checkup import BROKEN_OFF, CheckUp, Finding, Item, Topic
from foldkeep.model import visible
from foldkeep.model.names import file_uri
from foldkeep.model.units import format_moment, format_size

from ..page.documents import Document, problem_documents
from ..page.page import CARE, COMMAND, GAIN, QUIET, STRONG, Page
from ..page.words import agree, count, duration, joined, local_day, local_time

_SHOWN = 3
_DAY_NS = 86_400 * 1_000_000_000


class CheckUpLine(NamedTuple):
    """What is said of one topic.

    Attributes
    ----------
    words
        One sentence without a full stop.
    more
        Single things, a line each.
    command
        To go on with; empty if there is nothing to go on with.
    """

    topic: Topic
    wants_person: bool
    words: str
    more: tuple[str, ...] = ()
    command: str = ""


class CheckUpAnswer(NamedTuple):
    """Answer of `checkup`; `written` is where the page is, empty if none was asked for."""

    found: CheckUp
    release_after: str = "30d"
    written: str = ""

    @property
    def lines(self) -> list[CheckUpLine]:
        """What is said of each topic."""
        return [line_of(finding, self.release_after) for finding in self.found.findings]

    @property
    def verdict(self) -> str:
        """How many topics need attention, as a sentence; if none does, which are open since before."""
        wanting = len(self.found.wanting)
        still = [str(each.topic) for each in self.found.findings if each.count and not each.wants_person]
        if not wanting:
            return f"Nothing is new; still open: {joined(still)}." if still else "Nothing needs attention."
        things = count(len(self.found.findings), "thing")
        return f"{wanting} of {things} {agree(wanting, 'needs', 'need')} attention."

    @property
    def heading(self) -> str:
        """What was looked at, as a sentence."""
        report = self.found.report
        places = count(len(report.places), "place")
        return (
            f"{places}, {count(report.files, 'file')}, {format_size(report.bytes)}, in {duration(self.found.seconds)}"
        )

    def document(self) -> Document:
        """Return the JSON document."""
        report = self.found.report
        return {
            "command": "checkup",
            "places": len(report.places),
            "files": report.files,
            "bytes": report.bytes,
            "seconds": round(self.found.seconds, 3),
            "wants_you": [finding.topic for finding in self.found.wanting],
            "findings": [
                _finding_document(finding, line)
                for finding, line in zip(self.found.findings, self.lines, strict=True)
            ],
            "problems": problem_documents(report.problems),
            **({"page": self.written} if self.written else {}),
        }  # fmt: skip

    def write(self, page: Page) -> None:
        """Write it for people."""
        page.line(("Check-up", STRONG), f" of {self.heading}")
        page.line()
        for line in self.lines:
            mark = ("! ", CARE) if line.wants_person else "  "
            page.line(mark, (f"{line.topic:<10}", STRONG if line.wants_person else QUIET), line.words, hang=12)
            for words in line.more:
                page.line((words, QUIET), indent=12)
            if line.command:
                page.line(page.command(line.command, COMMAND if line.wants_person else QUIET), indent=12)
        page.line()
        page.line((self.verdict, CARE if self.found.wanting else GAIN))
        if self.written:
            page.line(f"Page: {visible(self.written)}")


def line_of(finding: Finding, release_after: str) -> CheckUpLine:
    """Return what is said of a topic."""
    words, more, command = _SAID[finding.topic](finding)
    command = command.replace("RELEASE_AFTER", release_after)
    return CheckUpLine(finding.topic, finding.wants_person, words, tuple(more), command)


_Said = tuple[str, Sequence[str], str]


def _drives(found: Finding) -> _Said:
    if not found.items:
        return "every drive is here", (), ""
    more = [_away(item) for item in found.items]
    return f"{count(found.count, 'place')} {agree(found.count)} away", more, "foldkeep places"


def _away(item: Item) -> str:
    if not item.when_ns:
        return f"{visible(item.name)}: never scanned"
    days = max(0, time.time_ns() - item.when_ns) // _DAY_NS
    why = f", {item.problem}" if item.problem else ""
    return f"{visible(item.name)}: not seen for {count(days, 'day')}, since {local_day(item.when_ns)}{why}"


def _space(found: Finding) -> _Said:
    more = [f"{visible(item.name)}: {_free(item)}" for item in found.items if item.wants_person or not found.count]
    if not found.count:
        return "every volume has room", more, ""
    first = next((item.name for item in found.items if item.wants_person and isinstance(item.name, str)), "")
    words = f"{count(found.count, 'volume')} {agree(found.count, 'has', 'have')} less than 15 % free"
    room = f"foldkeep room --until-free 15% --volume {shlex.quote(visible(first))}" if first else "foldkeep space"
    return f"{words}; {format_size(found.bytes)} too much", more, room


def _free(item: Item) -> str:
    return f"{format_size(item.bytes)} of {format_size(item.total)} free ({item.bytes / max(1, item.total):.0%})"


def _fixity(found: Finding) -> _Said:
    said = []
    if found.count:
        said.append(f"{count(found.count, 'file')} {agree(found.count)} damaged")
    if found.unread:
        were = agree(found.unread, "was", "were")
        said.append(f"{count(found.unread, 'file')} ({format_size(found.unread_bytes)}) {were} not read for a year")
    command = "foldkeep fixity -o damaged.csv" if found.count else "foldkeep fixity --for 1h" if found.unread else ""
    return "; ".join(said) or "nothing is known to be damaged", _first(found.items), command


def _catalogs(found: Finding) -> _Said:
    if not found.items:
        return "no catalogue has lost a file", (), ""
    words = f"{count(found.count, 'entry', 'entries')} of catalogues {agree(found.count, 'has', 'have')} no file"
    more = [
        f"{visible(item.name)}: {visible(item.problem) if item.problem else f'{item.count:,} missing'}"
        for item in found.items
    ]
    name = shlex.quote(visible(found.items[0].name))
    return words + _grown(found, f"{found.new:,}"), more[:_SHOWN], f"foldkeep catalog check {name}"


def _folds(found: Finding) -> _Said:
    broken_off = [_broken_off(item) for item in found.items if item.problem]
    waiting = [item for item in found.items if not item.problem]
    if not waiting:
        first, *others = broken_off or ["nothing waits in folds for long"]
        return first, others, "foldkeep ledger" if broken_off else ""
    files, size = sum(item.count for item in waiting), format_size(sum(item.bytes for item in waiting))
    runs = "run " + joined([str(item.name) for item in waiting]) if len(waiting) < 5 else ""
    oldest = local_day(waiting[0].when_ns)
    words = f"{count(files, 'file')} ({size}) {agree(files, 'waits', 'wait')} in folds, the first since {oldest}"
    return words, [*filter(None, [runs]), *broken_off], "foldkeep release --older-than RELEASE_AFTER"


def _broken_off(item: Item) -> str:
    """Return what is said of a run that was broken off."""
    run = f"run {item.key}"
    if item.problem == BROKEN_OFF:
        return f"{run} was interrupted: {item.count:,} of {item.total:,} files went"
    return f"{run} was interrupted; connect the drive of {item.problem} to learn what became of its files"


def _spares(found: Finding) -> _Said:
    if not found.count:
        return "nothing is there twice", (), ""
    all_ = f"{count(found.count, 'spare')} in {count(found.sets, 'set')}, {format_size(found.bytes)} could come free"
    command = "foldkeep duplicates"
    if not found.since_ns:
        return all_, (), command
    new = f"{count(found.new, 'new spare')} ({format_size(found.new_bytes)})" if found.new else "no new spares"
    return f"{new} since {_when(found.since_ns)}", [f"in all {all_}"], command


def _once(found: Finding) -> _Said:
    if not found.of:
        return "no content is known yet", (), ""
    if not found.count:
        return "everything lies on two disks, as last scanned", (), ""
    words = f"{count(found.count, 'content')} ({format_size(found.bytes)}) {agree(found.count, 'lies', 'lie')}"
    more = _grown(found, f"{found.new:,} ({format_size(found.new_bytes)})")
    return f"{words} not on two disks as far as is known{more}", (), "foldkeep coverage --fewer-than 2"


def _caches(found: Finding) -> _Said:
    if not found.count:
        return "nothing is there that can be made again", (), ""
    words = f"{format_size(found.bytes)} in {count(found.count, 'file')} can be made again, those in use included"
    return words + _grown(found, format_size(found.new_bytes)), (), "foldkeep caches"


def _projects(found: Finding) -> _Said:
    if not found.count:
        return "no project has gone quiet", (), ""
    words = f"{count(found.count, 'project')} ({format_size(found.bytes)}) {agree(found.count, 'is', 'are')} quiet"
    return words + _grown(found, f"{found.new:,}"), _first(found.items), "foldkeep projects"


def _grown(found: Finding, new: str) -> str:
    """Return how much more there is than last time, as the rest of a sentence."""
    if not found.since_ns:
        return ""
    return f", {new} more than {_when(found.since_ns)}" if found.new or found.new_bytes else ", no more than before"


def _when(moment_ns: int) -> str:
    """Return a moment, to the day; of today to the minute."""
    said, today = local_time(moment_ns), local_time(time.time_ns())
    return f"today at {said[11:]}" if said[:10] == today[:10] else said[:10]


def _first(items: Sequence[Item]) -> list[str]:
    shown = [visible(item.name) for item in items[:_SHOWN]]
    return shown + ([f"and {len(items) - _SHOWN:,} more"] if len(items) > _SHOWN else [])


_SAID: dict[Topic, Callable[[Finding], _Said]] = {
    Topic.DRIVES: _drives,
    Topic.SPACE: _space,
    Topic.FIXITY: _fixity,
    Topic.CATALOGS: _catalogs,
    Topic.FOLDS: _folds,
    Topic.SPARES: _spares,
    Topic.ONCE: _once,
    Topic.CACHES: _caches,
    Topic.PROJECTS: _projects,
}


def _finding_document(finding: Finding, line: CheckUpLine) -> Document:
    told = asdict(finding)
    del told["since_ns"]
    told["since"] = format_moment(finding.since_ns) if finding.since_ns else None
    told["wants_you"] = told.pop("wants_person")
    return {
        **told,
        "items": [_item_document(item) for item in finding.items],
        "words": line.words,
        "command": line.command or None,
    }


def _item_document(item: Item) -> Document:
    named: Document = (
        {"path": visible(item.name), "uri": file_uri(item.name)}
        if isinstance(item.name, bytes)
        else {"name": visible(item.name)}
    )
    when = format_moment(item.when_ns) if item.when_ns else None
    return {
        **named, "count": item.count, "bytes": item.bytes, "total": item.total, "when": when,
        "wants_you": item.wants_person, "problem": item.problem or None,
    }  # fmt: skip
