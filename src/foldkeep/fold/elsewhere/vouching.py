"""Vouching for files of this machine, copies of which are to go on another one."""

import os
import stat
import time
from collections.abc import Iterable
from typing import NamedTuple

from blake3 import blake3

from foldkeep.model import (
    Action,
    DocketRow,
    PathBytes,
    Place,
    Problem,
    Progress,
    Step,
    UnusableInput,
    no_progress,
)
from foldkeep.model.machines import Machine, is_elsewhere, split_machine
from foldkeep.model.names import innermost, lies_in_a_fold
from foldkeep.model.remote import is_remote
from foldkeep.model.vouchers import ASIDE_SECONDS, RELEASE_SECONDS, VouchedFile, Voucher
from foldkeep.model.work import reason_of
from foldkeep.scan import Presence, presences
from foldkeep.stock import Stock
from foldkeep.storage import storage_at
from foldkeep.storage.local.drives import is_local
from foldkeep.storage.local.reading import FILE, NotSafe, Stamp, digest_of, modified_ns, open_below

from ..places import hold_around
from .protection import Protection, protect


class Vouching(NamedTuple):
    """What came of vouching: the voucher, and the files that it does not tell of, each with the reason."""

    voucher: Voucher
    left: list[Problem]


def vouch(
    stock: Stock, rows: Iterable[DocketRow], docket: bytes, number: bytes = b"", progress: Progress = no_progress
) -> Vouching:
    """Read the keepers that a docket of another machine has on this one, now, and protect them.

    They are protected before anybody is told, so that at no moment a voucher counts for a file that may go: `fold` of
    any stock leaves them until that is ended.

    Parameters
    ----------
    stock
        A stock that is held.
    docket
        Digest of the docket.
    number
        That the other machine drew, to be signed; for it files are protected for an hour at least.

    Raises
    ------
    UnusableInput
        If none of them is on this machine.
    PlaceBusy
        If somebody is at work in one of their places.
    """
    machine = stock.machine.get()
    wanted, others = _of_this_machine(rows, machine)
    if not wanted:
        there = f"they are on {', '.join(sorted(others))}" if others else "all of them are on the docket's own machine"
        raise UnusableInput(
            f"the docket has no keeper on {machine.name}: {there}",
            "vouch on the machine that has them; what this one is called is said by foldkeep inventory save --machine",
        )
    places = {place.path: place for place in stock.places.all()}
    now = presences(stock)
    known = stock.listing.at_all(row.path for row in wanted)
    left: list[Problem] = []
    by_place: dict[PathBytes, list[DocketRow]] = {}
    for row in wanted:
        place = places.get(innermost(places, row.path) or b"")
        if why := _refusal(row, place, now[place.id] if place else Presence.AWAY, is_known=row.path in known):
            left.append(Problem(row.path, why))
        else:
            by_place.setdefault(place.path if place else b"", []).append(row)
    made_ns = time.time_ns()
    files: list[VouchedFile] = []
    total, done = sum(row.size for some in by_place.values() for row in some), 0
    with hold_around(stock, by_place, "vouch"):
        for place_path, some in by_place.items():
            found = []
            for row in some:
                progress(Step("Reading keepers", done, total, "bytes"))
                try:
                    found.append(_read(row, place_path, number))
                except (NotSafe, OSError) as error:
                    left.append(Problem(row.path, reason_of(error)))
                done += row.size
            if not found:
                continue
            until_ns = made_ns + (RELEASE_SECONDS + ASIDE_SECONDS) * 1_000_000_000 if number else 0
            paths = frozenset(file.path for file, _ in found)
            try:
                _bring_to_disk(found)
                protect(Protection(place_path, docket, until_ns, made_ns, paths))
            except OSError as error:
                why = f"it cannot be brought to the disk and protected: {reason_of(error)}"
                left += [Problem(path, why) for path in paths]
                continue
            files += [file for file, stamp in found if _still(file.path, place_path, stamp, left)]
    return Vouching(Voucher(machine, docket, made_ns, number, tuple(files)), left)


def _of_this_machine(rows: Iterable[DocketRow], machine: Machine) -> tuple[list[DocketRow], set[str]]:
    """Return the keepers of a docket that are on this machine, with their paths here, and the other machines."""
    found: dict[PathBytes, DocketRow] = {}
    others = set()
    for row in rows:
        if row.action is Action.KEEP and is_elsewhere(row.path):
            name, path = split_machine(row.path)
            if name == machine.name:
                found[path] = row._replace(path=path)
            else:
                others.add(name)
    return list(found.values()), others


def _refusal(row: DocketRow, place: Place | None, now: Presence, *, is_known: bool) -> str:
    """Return why nothing can be said of a file; empty if it can be read."""
    # A path that the stock does not know may be another name of a file, under which nobody would find it protected.
    if place is None or not is_known:
        return "is not known on this machine; scan it first"
    if lies_in_a_fold(row.path):
        return "lies in a fold"
    if is_remote(row.path) or now is not Presence.HERE:
        return "its drive is away"
    if row.digest is None:
        return "the docket does not say what it holds"
    return ""


def _open(path: PathBytes, place: PathBytes) -> int:
    """Open a file of a place, over no link on the way there."""
    return open_below(place, path[len(place.rstrip(b"/")) + 1 :], FILE)


def _read(row: DocketRow, place: PathBytes, number: bytes) -> tuple[VouchedFile, Stamp]:
    """Read a file whole and return what is said of it, with its stamp; NotSafe if it is not what the docket says."""
    descriptor = _open(row.path, place)
    try:
        facts = os.fstat(descriptor)
        if not stat.S_ISREG(facts.st_mode):
            raise NotSafe("is no regular file")
        if not is_local(os.path.dirname(row.path), facts.st_dev):
            raise NotSafe("lies on a share, or behind a program: vouch on the machine that has its disk")
        proof = blake3(key=number) if number else None
        digest, size = digest_of(descriptor, facts.st_size, also=proof)
        if Stamp.of(os.fstat(descriptor)) != Stamp.of(facts):
            raise NotSafe("changed while it was read")
        if (size, digest) != (row.size, row.digest):
            raise NotSafe("is not what the docket says any more")
        file = VouchedFile(row.path, size, digest, facts.st_ino, modified_ns(facts), proof.digest() if proof else b"")
        return file, Stamp.of(facts)
    finally:
        os.close(descriptor)


def _bring_to_disk(found: Iterable[tuple[VouchedFile, Stamp]]) -> None:
    """Have what was read on the disk, since its copies may soon be gone elsewhere: it may just have been written."""
    for folder in {stamp.identity.device: os.path.dirname(file.path) for file, stamp in found}.values():
        storage_at(folder).flush_volume(folder)


def _still(path: PathBytes, place: PathBytes, stamp: Stamp, left: list[Problem]) -> bool:
    """Look whether a file is what it was before it was protected; note that it is not."""
    try:
        descriptor = _open(path, place)
        try:
            if Stamp.of(os.fstat(descriptor)) == stamp:
                return True
        finally:
            os.close(descriptor)
    except OSError:
        pass
    left.append(Problem(path, "changed or went away while it was read"))
    return False
