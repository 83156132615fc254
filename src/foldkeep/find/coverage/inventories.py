"""Inventories of drives in the cupboard: which contents each has, and when it was saved."""

from collections.abc import Collection, Iterator, Sequence
from typing import NamedTuple

from foldkeep.formats.columns import inventory_reader
from foldkeep.formats.own import InventoryHead
from foldkeep.model.disks import Disks
from foldkeep.model.names import known_as


class Cupboard(NamedTuple):
    """A place in an inventory.

    Attributes
    ----------
    inventory
        The file that the inventory is.
    volume_key, volume_name
        What tells its volume from others, and what a person knows it by.
    disks
        The disks that its volume was on.
    saved_ns
        When the inventory was saved.
    """

    inventory: str
    label: str
    role: str
    volume_key: str
    volume_name: str
    saved_ns: int
    disks: Disks


def held_in(inventories: Sequence[str], digests: Collection[bytes]) -> dict[bytes, list[Cupboard]]:
    """Return in which places of inventories contents lie; UnusableInput if one is no whole inventory."""
    wanted = {digest.hex() for digest in digests if digest}
    found: dict[bytes, list[Cupboard]] = {}
    for path in inventories if wanted else ():
        for cupboard, held in contents_of(path):
            for digest in wanted.intersection(held):
                places = found.setdefault(bytes.fromhex(digest), [])
                if cupboard not in places:
                    places.append(cupboard)
    return found


def contents_of(path: str) -> Iterator[tuple[Cupboard, list[str]]]:
    """Yield, folder by folder, a place of an inventory and the digests of files there, hexadecimal.

    Raises UnusableInput if it is no whole inventory.
    """
    reader = inventory_reader(path)
    known: dict[tuple[int, str], Cupboard] = {}
    for part in reader.folders():
        at = (part.place, part.volume_key)
        if at not in known:
            known[at] = _cupboard(path, reader.head, *at)
        yield known[at], [digest for digest in part.digests if digest]


def _cupboard(path: str, head: InventoryHead, number: int, volume: str) -> Cupboard:
    place = head.places[number]
    name = head.volumes.get(volume, place.volume_name)
    disks = Disks.of_numbers(head.disks.get(volume, ()), name)
    return Cupboard(known_as(path), place.label, place.role, volume, name, head.saved_ns, disks)
