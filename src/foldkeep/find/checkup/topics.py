"""The topics of a check-up, one function each."""

from collections.abc import Callable
from datetime import timedelta

from foldkeep.model import Filter, RunFileState, UnusableInput, visible
from foldkeep.model.names import file_uri
from foldkeep.scan import Presence
from foldkeep.stock import Checked, CheckResult

from ..catalogs import known_files
from ..copies import Question, duplicates
from ..coverage import Counted, Demand, Standing, coverage
from ..projects import Activity, projects
from ..space import LEAST_FREE, server_spaces, volume_spaces
from .checkup import View
from .findings import BROKEN_OFF, Finding, Item, Topic

LONG_AWAY = timedelta(days=30)
"""How long a drive was away that is asked for."""

LONG_UNREAD = timedelta(days=365)
"""How long a file was not read again that is asked for."""


def drives(view: View) -> Finding:
    """Tell which places are away, and since when nothing is known of them."""
    items = [
        Item(
            place.label,
            when_ns=place.scanned_ns or 0,
            wants_person=(place.scanned_ns or 0) < view.before_ns(LONG_AWAY),
            problem="" if view.here[place.id] is Presence.AWAY else view.here[place.id],
        )
        for place in view.stock.places.all()
        if view.here[place.id] not in (Presence.HERE, Presence.SERVER)
    ]
    items.sort(key=lambda item: item.when_ns)
    return Finding(Topic.DRIVES, any(item.wants_person for item in items), len(items), items=tuple(items))


def space(view: View) -> Finding:
    """Tell which volumes are nearly full, and how much would have to go."""
    items = [
        Item(each.volume.name, bytes=each.free, total=each.total, wants_person=each.too_much > 0)
        for each in volume_spaces(view.stock)
    ]
    for server in server_spaces(view.stock):
        used, free = server.quota.used, server.quota.available
        if used is not None and free is not None and used + free > 0:
            is_full = free < LEAST_FREE * (used + free)
            items.append(Item(server.place.path, bytes=free, total=used + free, wants_person=is_full))
    items.sort(key=lambda item: item.bytes / max(1, item.total))
    full = [item for item in items if item.wants_person]
    short = sum(round(item.total * LEAST_FREE) - item.bytes for item in full)
    return Finding(Topic.SPACE, bool(full), len(full), short, items=tuple(items))


def fixity(view: View) -> Finding:
    """Tell what was found damaged, and what was not read again for a year."""
    checks = view.stock.checks
    damaged = [*checks.damaged()]
    damaged += [check.subject for check in checks.of(Checked.FOLDED, [CheckResult.DAMAGED]).values()]
    failed = checks.of(Checked.PACKAGE, [CheckResult.DAMAGED, CheckResult.CHANGED, CheckResult.UNREADABLE])
    damaged += [archive.package for archive in view.stock.archives.all() if archive.key.encode() in failed]
    unread, size = checks.unread_since(view.before_ns(LONG_UNREAD))
    items = tuple(Item(path, wants_person=True) for path in damaged)
    return Finding(Topic.FIXITY, bool(items or unread), len(items), unread=unread, unread_bytes=size, items=items)


def catalogs(view: View) -> Finding:
    """Tell which catalogues name files that are not there."""
    last, items = view.last(Topic.CATALOGS), []
    for catalog in view.stock.catalogs.all():
        try:
            missing = len(known_files(view.stock, [catalog], view.progress).missing)
        except UnusableInput as error:
            items.append(Item(catalog.name, wants_person=True, problem=error.what))
        else:
            if missing:
                items.append(Item(catalog.name, missing))
    count = sum(item.count for item in items)
    more = max(0, count - last.number)
    wants = more > 0 or any(item.wants_person for item in items)
    return Finding(Topic.CATALOGS, wants, count, new=more, since_ns=last.made_ns, items=tuple(items))


def folds(view: View) -> Finding:
    """Tell which runs were broken off, and which wait in folds for long."""
    items = [
        Item(
            str(summary.run.id),
            summary.went,
            summary.bytes.get(RunFileState.WAITING, 0),
            summary.run.started_ns,
            sum(summary.files.values()),
            wants_person=True,
            problem=" and ".join(map(visible, summary.away)) or BROKEN_OFF,
        )
        for summary in view.runs
        if summary.run.underway
    ]
    broken_off = {item.name for item in items}
    items += [
        Item(
            str(summary.run.id),
            summary.files[RunFileState.WAITING],
            summary.bytes[RunFileState.WAITING],
            summary.run.started_ns,
            wants_person=True,
        )
        for summary in view.stock.ledger.waiting_before(view.before_ns(view.settings.release_after))
        if str(summary.run.id) not in broken_off
    ]
    files, size = sum(item.count for item in items), sum(item.bytes for item in items)
    return Finding(Topic.FOLDS, bool(items), files, size, items=tuple(items))


def spares(view: View) -> Finding:
    """Tell how many spares there are, and how many came since the last check-up."""
    last = view.last(Topic.SPARES)
    totals = duplicates(view.stock, Question()).overview().totals
    new, new_bytes = view.stock.checkups.new_spares()
    return Finding(
        Topic.SPARES, new > 0, totals.spares, totals.reclaimable, new, new_bytes, totals.sets, since_ns=last.made_ns
    )


def once(view: View) -> Finding:
    """Tell what is not known to be on two disks."""
    last = view.last(Topic.ONCE)
    found = coverage(view.stock, Filter(), Demand())
    total = found.total
    alone: Counted = total[Standing.ONCE] + total[Standing.ONE_DISK] + total[Standing.NOT_KNOWN]
    more, more_bytes = max(0, alone.contents - last.number), max(0, alone.bytes - last.bytes)
    wants = more > 0 or more_bytes > 0
    return Finding(
        Topic.ONCE, wants, alone.contents, alone.bytes, more, more_bytes, of=found.all.contents, since_ns=last.made_ns
    )


def derived(view: View) -> Finding:
    """Tell what can be made again, and how much that has grown."""
    last = view.last(Topic.CACHES)
    count, size = len(view.derived), sum(each.size for each in view.derived)
    more, more_bytes = max(0, count - last.number), max(0, size - last.bytes)
    return Finding(Topic.CACHES, more_bytes > 0, count, size, more, more_bytes, since_ns=last.made_ns)


def quiet_projects(view: View) -> Finding:
    """Tell which projects have gone quiet."""
    last = view.last(Topic.PROJECTS)
    quiet_before_ns = view.before_ns(view.settings.quiet_after)
    found = projects(
        view.stock, view.settings.recipes, view.projects, quiet_before_ns, measures=view.measures,
        derived=view.derived, with_uses=False,
    )  # fmt: skip
    items = [
        Item(
            each.path,
            sum(each.files.values()),
            each.total,
            each.active_ns,
            wants_person=file_uri(each.path) not in last.names,
        )
        for each in found
        if each.activity is Activity.QUIET
    ]
    items.sort(key=lambda item: not item.wants_person)
    new = [item for item in items if item.wants_person]
    return Finding(
        Topic.PROJECTS, bool(new), len(items), sum(item.bytes for item in items), len(new),
        sum(item.bytes for item in new), since_ns=last.made_ns, items=tuple(items),
    )  # fmt: skip


LOOKS: dict[Topic, Callable[[View], Finding]] = {
    Topic.DRIVES: drives,
    Topic.SPACE: space,
    Topic.FIXITY: fixity,
    Topic.CATALOGS: catalogs,
    Topic.FOLDS: folds,
    Topic.SPARES: spares,
    Topic.ONCE: once,
    Topic.CACHES: derived,
    Topic.PROJECTS: quiet_projects,
}
"""What looks at each topic."""
