"""Remote places: telling the stock about one, walking it with several folders asked for at a time."""

import os
import time
from collections.abc import Iterator
from concurrent.futures import FIRST_COMPLETED, Future, ThreadPoolExecutor, wait
from contextlib import suppress
from dataclasses import dataclass, field

from blake3 import blake3

from foldkeep.model import PathBytes, Place, Problem, Role, UnusableInput, visible
from foldkeep.model.kinds import kind_of
from foldkeep.model.names import lies_in_a_fold
from foldkeep.model.remote import SOMEBODY_ELSE, RemoteFile, host_of, server_of
from foldkeep.model.work import reason_of
from foldkeep.stock import Sighting, Stock
from foldkeep.storage.remote import NotAllowed, RemoteStorage, ServerGone, remote_storage

from .skip_rules import Looking
from .walk import Listing, Row

FOLDERS_AT_ONCE = 8
_DEEPEST = 128
_MOST_GONE = 3
"""So many folders in a row for which the server cannot be reached, and it is not asked for the rest."""

REMOTE_DEVICE = 1
"""What a listing of a server has for the number of its device: there is but one."""


def add_remote_place(stock: Stock, path: PathBytes, role: Role | None, asked: frozenset[str]) -> Place:
    """Tell the stock about a folder on a server, or bring a known one up to date.

    Raises UnusableInput if it is no folder that can be listed, or lies in a fold.
    """
    if lies_in_a_fold(path):
        raise UnusableInput(f"cannot scan {visible(path)}: it lies in a fold", "name the place above it")
    try:
        storage = remote_storage(path)
        facts = storage.facts(path)
    except OSError as error:
        hint = "see to it, or scan others" if isinstance(error, NotAllowed) else "see whether it is on, or scan others"
        raise UnusableInput(f"cannot scan {visible(path)}: {reason_of(error)}", hint) from error
    if facts is None or not facts.is_folder:
        why = "is no folder" if facts else "is not there"
        raise UnusableInput(f"cannot scan {visible(path)}: it {why}", "name a folder on the server")
    with stock.transaction():
        server = visible(server_of(path))
        volume = stock.places.volume(f"server:{server}", server)
        known = next((place for place in stock.places.all() if place.path == path), None)
        if known is None:
            label = visible(path.rpartition(b"/")[2]) if path != server_of(path) else host_of(path)[1]
            known = stock.places.add(path, role or Role.WORKING, label, volume, 0)
        place = known._replace(role=role or known.role, volume=volume, inode=0, asked=asked, below=None)
        stock.places.change(place)
    return place


def note_quota(stock: Stock, place: Place) -> None:
    """Write down what space a server gives a place now; what was known stays where it does not answer."""
    with suppress(OSError):
        stock.places.set_quota(place.id, remote_storage(place.path).quota(place.path), time.time_ns())


@dataclass(slots=True)
class RemoteListing(Listing):
    """Names directly in a folder on a server.

    Attributes
    ----------
    etags
        The entity tags of those files that have one.
    is_gone
        Whether the server could not be reached.
    """

    is_gone: bool = False
    etags: dict[str, str] = field(default_factory=dict)

    def fingerprint(self, salt: bytes) -> bytes | None:
        return Listing.fingerprint(self, salt + repr(sorted(self.etags.items())).encode())

    def sightings(self, looking: Looking) -> Iterator[Sighting]:
        for each in Listing.sightings(self, looking):
            tag = self.etags.get(os.fsdecode(each.name), "")
            yield each._replace(etag=tag, blocks=None)


def walk_remote(top: PathBytes, looking: Looking, storage: RemoteStorage) -> Iterator[Listing]:
    """Yield a listing of every folder at and below `top` on a server, several of them asked for at a time.

    What cannot be listed is yielded with the problem; where the server is gone, all the rest is. Memory grows with
    the number of folders, not of files.
    """
    waiting, gone = [top], 0
    running: dict[Future[RemoteListing], PathBytes] = {}
    executor = ThreadPoolExecutor(FOLDERS_AT_ONCE, thread_name_prefix="listing")
    try:
        while waiting or running:
            while waiting and len(running) < FOLDERS_AT_ONCE:
                folder = waiting.pop()
                running[executor.submit(_listed, folder, top, looking, storage)] = folder
            for future in wait(running, return_when=FIRST_COMPLETED).done:
                del running[future]
                listing = future.result()
                gone = gone + 1 if listing.is_gone else 0
                yield listing
                waiting.extend(sorted(listing.folders, reverse=True))
            if gone >= _MOST_GONE:
                for folder in [*waiting, *running.values()]:
                    yield Listing(folder, complete=False)
                return
    finally:
        executor.shutdown(wait=False, cancel_futures=True)


def _listed(folder: PathBytes, top: PathBytes, looking: Looking, storage: RemoteStorage) -> RemoteListing:
    listing = RemoteListing(folder)
    if folder.count(b"/") - top.count(b"/") > _DEEPEST:
        return _cut_short(listing, "lies too deep; name a folder further down")
    listing.listed_ns = time.time_ns()
    try:
        files = storage.files(folder)
    except OSError as error:
        listing.is_gone = isinstance(error, ServerGone)
        return _cut_short(listing, reason_of(error))
    listing.device = REMOTE_DEVICE
    for each in files:
        _note(listing, each, looking)
    return listing


def _note(listing: RemoteListing, each: RemoteFile, looking: Looking) -> None:
    name, path = os.fsdecode(each.name), listing.path + b"/" + each.name
    if each.is_folder:
        why = looking.passes_folder(name, path)
        if why is None:
            listing.folders.append(path)
    else:
        why = looking.passes_file(name) or ("size" if looking.passes_size(each.size) else None)
        if why is None:
            listing.files.append(_row(name, path, each))
            if each.etag:
                listing.etags[name] = each.etag
    if why:
        listing.passed[why] += 1


def remote_sighting(path: PathBytes, each: RemoteFile) -> Sighting:
    """Return a file on a server as the stock has it."""
    number, owner = _number_of(path), os.getuid() if each.is_mine else SOMEBODY_ELSE
    return Sighting(each.name, kind_of(each.name), each.size, each.modified_ns, number, 1, owner, etag=each.etag)


def _number_of(path: PathBytes) -> int:
    # Nothing on a server has two names that we could tell, so its path is what a file is told by.
    return int.from_bytes(blake3(path).digest(8), "big") >> 1


def _row(name: str, path: PathBytes, each: RemoteFile) -> Row:
    return (name, each.size, each.modified_ns, _number_of(path), 1, os.getuid() if each.is_mine else SOMEBODY_ELSE, 0)


def _cut_short(listing: RemoteListing, why: str) -> RemoteListing:
    listing.problems.append(Problem(listing.path, why))
    listing.complete = False
    return listing


def why_unreachable(place: Place) -> str:
    """Return why a remote place cannot be looked into now; empty if it can."""
    try:
        facts = remote_storage(place.path).facts(place.path)
    except (OSError, UnusableInput) as error:
        return f"{reason_of(error)}; what is known of it stays"
    return "" if facts and facts.is_folder else "is not there now; what is known of it stays"
