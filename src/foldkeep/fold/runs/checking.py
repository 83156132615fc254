"""Looking at everything that a plan is about, before anything is changed."""

import errno
import os
import stat
from collections import defaultdict
from collections.abc import Callable, Container, Mapping
from contextlib import ExitStack
from dataclasses import replace
from fnmatch import fnmatch
from functools import partial

from foldkeep.formats.sidecars import LARGEST_SIDECAR, Xmp
from foldkeep.model import Action, DocketRow, Method, UnusableInput, visible
from foldkeep.model.companions import are_a_pair, belongs_to, counterpart, is_sidecar, sidecar_stems, stem_of
from foldkeep.model.kinds import OTHER, kind_of
from foldkeep.model.names import names_to_try
from foldkeep.model.remote import is_remote, server_of
from foldkeep.model.units import format_size
from foldkeep.model.volumes import Limits
from foldkeep.model.work import reason_of
from foldkeep.scan import Presence, presences
from foldkeep.signals import MediaReader, Medium
from foldkeep.stock import Stock
from foldkeep.storage import storage_at
from foldkeep.storage.local.changes import Folders
from foldkeep.storage.local.drives import is_read_only
from foldkeep.storage.local.reading import modified_ns
from foldkeep.storage.remote import remote_storage

from ..disk_view import Look
from ..sidecars.merging import Merger
from ..sidecars.remaining import words_in
from ..space import free_bytes
from .plan import Item, Plan, beside_spare
from .run_lookup import gone_reason, waiting_run

_LARGEST_LITTER = 16 * 1024 * 1024
_MOST_FOLDERS = 128


def check_plan(
    stock: Stock,
    plan: Plan,
    *,
    keeps_folders: bool = False,
    litter: tuple[str, ...] = (),
    described: Mapping[bytes, Xmp] | None = None,
) -> Plan:
    """Look at every file of a plan, and return the plan with what has to go along with the spares.

    A spare that went away or changed is no reason to refuse: it will be left. Companions of a spare go along
    if the keeper has equal ones; a sidecar that it has not is to be moved beside the keeper.

    Parameters
    ----------
    keeps_folders
        Folders that become empty stay, so nothing has to be done about what is left in them.
    litter
        Globs for names that do not count when it is asked whether a folder is empty.
    described
        What catalogues say of files, by path. What they and sidecars say of spares only is to be written into
        sidecars of their keepers; None to write none.

    Raises
    ------
    UnusableInput
        If a place is away, a path leads over a symbolic link or ends at one, a set would keep no copy that is
        there, or spare and keeper lie on different volumes and the method is to link them.
    """
    places = stock.places.all()
    now = presences(stock)
    here = {place.path for place in places if now[place.id] is Presence.HERE}
    _check_servers(plan)
    going = {item.row.path for item in plan.items}
    checked = replace(plan, by_place={})
    limits = _limits_of_target(plan)
    _check_room(plan)
    with ExitStack() as opened:
        tops = {path: opened.enter_context(Folders(path, most=_MOST_FOLDERS)) for path in here}
        look = Look(tops)
        for place, items in plan.by_place.items():
            if is_remote(place) and plan.method is Method.COPY:
                checked.by_place[place] = items
                continue
            if is_remote(place):
                found = [_checked(stock, plan, _fitting_server(item), look) for item in items]
                checked.by_place[place] = found + [
                    _fitting_server(item) for item in _companions(plan, found, going, look)
                ]
                continue
            if place not in here:
                raise UnusableInput(
                    f"the drive of {visible(place)} is away, and {visible(plan.docket)} has files there",
                    "connect it, or take those rows out",
                )
            if is_read_only(place):
                raise UnusableInput(
                    f"{visible(place)} is read-only, and {visible(plan.docket)} has files there to fold",
                    "make it writable, or take those rows out",
                )
            # What is copied is looked at when its turn comes: it may lie on a card, in no place.
            seen = items if plan.method is Method.COPY else [_checked(stock, plan, item, look) for item in items]
            found = [_fitting(item, limits) for item in seen]
            if not (plan.method.links or plan.method.adds):
                found += map(_fitting_disk, _companions(plan, found, going, look))
                if litter and not keeps_folders:
                    found += _litter(found, litter, look)
            checked.by_place[place] = found
        if described is not None and not (plan.method.links or plan.method.adds):
            here_places = [place for place in places if place.path in here]
            with MediaReader(stock) as reader:
                Merger(checked, here_places, look, described, partial(_embedded, reader, look)).add()
    return checked


def _check_servers(plan: Plan) -> None:
    """Raise UnusableInput if a plan wants on a server what cannot be done there, or the server cannot be asked."""
    for place in filter(is_remote, plan.by_place):
        if plan.method not in (Method.FOLD, Method.COPY):
            raise UnusableInput(
                f"{visible(plan.docket)} has files on a server, where --method {plan.method} cannot be done",
                "use --method fold, or take those rows out",
            )
        try:
            there = remote_storage(place).facts(place)
        except OSError as error:
            raise UnusableInput(
                f"{visible(place)}: {reason_of(error)}", "see to it, or take its rows out of the docket"
            ) from error
        if there is None:
            raise UnusableInput(f"{visible(place)} is not there", "see to it, or take its rows out of the docket")


def _fitting_server(item: Item) -> Item:
    """Return an item of a place on a server that is left if it cannot be worked on there."""
    if item.target and server_of(item.target) != server_of(item.row.path):
        return replace(item, refusal="stays: its keeper, which has none like it, lies elsewhere")
    if item.source or item.package or item.essence or item.alike or item.proof:
        return replace(item, refusal="on a server only what has the same content as its keeper is folded")
    return item


def _fitting_disk(item: Item) -> Item:
    """Return a companion on this machine that is left if it would have to go to a server."""
    if is_remote(item.target):
        return replace(item, refusal="stays: its keeper, which has none like it, lies on a server")
    return item


def _limits_of_target(plan: Plan) -> Limits:
    """Return what the volume that files are moved to cannot hold; UnusableInput if it is read-only."""
    if not plan.into:
        return Limits()
    into = plan.into[0]
    if is_remote(into):
        return Limits()
    if is_read_only(into):
        raise UnusableInput(f"{visible(into)} is read-only", "make it writable, or name another folder")
    return storage_at(into).limits_of(into)


def _check_room(plan: Plan) -> None:
    """Raise UnusableInput if the volume that files are copied to has too little room for them."""
    if plan.method is not Method.COPY or not plan.into:
        return
    needed = sum(item.row.size for item in plan.items if not item.refusal)
    try:
        free = free_bytes(plan.into[0])
    except OSError:
        return  # a server that tells no quota says so when there is no room
    if needed > free:
        raise UnusableInput(
            f"{visible(plan.into[0])} has {format_size(free)} free, and the copies need {format_size(needed)}",
            "name another folder, or take rows out of the docket",
        )


def _fitting(item: Item, limits: Limits) -> Item:
    """Return an item that is left if its target cannot be."""
    if item.refusal or not item.target:
        return item
    if limits.largest and item.row.size > limits.largest:
        return replace(item, refusal=f"no file there can have more than {format_size(limits.largest)}")
    for step in item.target.split(b"/"):
        if why := limits.refusal(step):
            return replace(item, refusal=f"its name cannot be there: {why}")
    return item


def _embedded(reader: MediaReader, look: Look, path: bytes, digest: bytes | None) -> Xmp:
    facts = look.facts(path)
    if facts is None:
        return Xmp()
    kind = kind_of(os.path.basename(path))
    # What a keeper says itself must be known, or that of a spare would take its place.
    return words_in(reader, Medium(path, kind, facts.st_size, modified_ns(facts), digest))[0]


def _checked(stock: Stock, plan: Plan, item: Item, look: Look) -> Item:
    try:
        facts = look.facts(item.row.path)
        if facts is None and not item.refusal:
            item = replace(item, refusal=gone_reason(waiting_run(stock, item.row.path)))
    except OSError as error:
        if error.errno in (errno.ELOOP, errno.ENOTDIR):
            raise _refused(plan, item.row.path, error) from error
        facts = None  # it will be left, with what the system says
    if facts is not None and not stat.S_ISREG(facts.st_mode):
        what = "a symbolic link" if stat.S_ISLNK(facts.st_mode) else "no file"
        raise UnusableInput(
            f"{visible(plan.docket)} names {visible(item.row.path)}, which is {what} now", "scan, and make it again"
        )
    standing = item.keepers or [item.source] * bool(item.source)
    if not standing:
        return item
    keepers = []
    for path in standing:
        try:
            found = look.facts(path)
        except (OSError, UnusableInput):
            continue
        if found is not None and stat.S_ISREG(found.st_mode) and not (plan.method.links and is_remote(path)):
            keepers.append((path, found.st_dev))
    if not keepers and item.source:
        verb = "go for" if item.alike or item.essence else "made again from"
        raise UnusableInput(
            f"{visible(plan.docket)} has {visible(item.row.path)} {verb} {visible(item.source)}, which is gone or away",
            "scan, and make it again",
        )
    if not keepers:
        raise UnusableInput(
            f"{visible(plan.docket)} keeps no copy in set {visible(item.row.set)} that is there now: "
            f"{visible(item.keepers[0])} is gone or away",
            "scan, and make it again; or say --allow-last-copy if none is to stay",
        )
    if facts is not None and plan.method in (Method.HARD_LINK, Method.CLONE):
        keepers = [each for each in keepers if each[1] == facts.st_dev]
        if not keepers:
            raise UnusableInput(
                f"{visible(item.row.path)} and its keeper lie on different volumes, which cannot share a file",
                "choose another --method; nothing was changed",
            )
    if len(keepers) == len(standing):
        return item
    return replace(item, keepers=[path for path, _ in keepers])


def _refused(plan: Plan, path: bytes, error: OSError) -> UnusableInput:
    return UnusableInput(
        f"{visible(plan.docket)} names {visible(path)}, which cannot be reached without following a link: "
        f"{reason_of(error)}",
        "scan, and make it again",
    )


def _companions(plan: Plan, items: list[Item], going: Container[bytes], look: Look) -> list[Item]:
    """Return what goes along with spares: what the keeper has as well, and sidecars that it has not."""
    found: dict[bytes, Item] = {}

    def goes(path: bytes) -> bool:
        return path in going or path in found

    # The JPEG of a raw file first: a sidecar of both may go only if both do.
    for fits in (are_a_pair, belongs_to):
        for item in items:
            folder, name = os.path.split(item.row.path)
            kin = look.kin_of(item.row.path, stem_of(name))
            if kin == [name] or is_sidecar(name) or not item.staying or name not in kin:
                continue
            for other in kin:
                path = os.path.join(folder, other)
                if not fits(other, name) or goes(path) or path in plan.staying:
                    continue
                if is_sidecar(other) and any(
                    belongs_to(other, owner) and not goes(os.path.join(folder, owner))
                    for stem in sidecar_stems(other)
                    for owner in look.kin_of(path, stem)
                ):
                    continue
                companion = _companion(item, path, goes, look)
                if companion is not None:
                    found[path] = companion
    return list(found.values())


def _companion(item: Item, path: bytes, goes: Callable[[bytes], bool], look: Look) -> Item | None:
    facts = look.facts(path)
    if facts is None or not stat.S_ISREG(facts.st_mode):
        return None
    folder, name = os.path.split(item.staying[0])
    theirs = os.path.join(folder, counterpart(os.path.basename(path), os.path.basename(item.row.path), name))
    other = None if goes(theirs) else look.facts(theirs)
    row = DocketRow(
        item.row.set, Action.FOLD, path, facts.st_size, kind_of(os.path.basename(path)), modified_ns(facts), None,
        f"goes along with {visible(os.path.basename(item.row.path))}",
    )  # fmt: skip
    # What is large is compared when its turn comes; if it differs then, it is left.
    if (
        other is not None
        and stat.S_ISREG(other.st_mode)
        and other.st_size == facts.st_size
        and (facts.st_size > LARGEST_SIDECAR or look.same_content(path, theirs))
    ):
        return Item(row, item.place, [theirs], item.method, beside_spare(item, path), master=item.row.path)
    if not is_sidecar(os.path.basename(path)):
        return None
    return Item(
        row._replace(reason=f"kept beside {visible(item.staying[0])}, which has none like it"),
        item.place, [], Method.MOVE, _free_name(theirs, look), master=item.row.path,
    )  # fmt: skip


def _free_name(path: bytes, look: Look) -> bytes:
    """Return a path that nothing has, this one or one beside it that makes it nobody else's companion."""
    folder, name = os.path.split(path)
    tried = (os.path.join(folder, each) for each in names_to_try(name))
    return next((free for free in tried if look.facts(free) is None and (free == path or look.may_have(free))), path)


def _may_be_litter(name: bytes, facts: os.stat_result) -> bool:
    # Nobody reads litter before it goes, so a careless glob must not make it of somebody's pictures.
    return stat.S_ISREG(facts.st_mode) and kind_of(name) == OTHER and facts.st_size <= _LARGEST_LITTER


def _litter(items: list[Item], globs: tuple[str, ...], look: Look) -> list[Item]:
    """Return the files that keep folders from becoming empty and do not count."""
    going: dict[bytes, set[bytes]] = defaultdict(set)
    example: dict[bytes, Item] = {}
    for item in items:
        folder, name = os.path.split(item.row.path)
        going[folder].add(name)
        example.setdefault(folder, item)
    found = []
    for folder, names in going.items():
        item = example[folder]
        rest = [name for name in look.names_beside(item.row.path) if name not in names]
        if not rest or not all(any(fnmatch(os.fsdecode(name), glob) for glob in globs) for name in rest):
            continue
        for name in rest:
            path = os.path.join(folder, name)
            facts = look.facts(path)
            if facts is not None and _may_be_litter(name, facts):
                row = DocketRow(item.row.set, Action.FOLD, path, facts.st_size, kind_of(name), modified_ns(facts), None,
                                "all that is left in its folder")  # fmt: skip
                found.append(Item(row, item.place, [], item.method, beside_spare(item, path), litter=True))
    return found
