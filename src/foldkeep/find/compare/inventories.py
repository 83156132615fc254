"""Inventories of places: saved to be asked while the drive is in a cupboard."""

import time
from collections.abc import Iterator, Sequence
from typing import NamedTuple

from foldkeep.formats.columns import ColumnsReader, inventory_reader
from foldkeep.formats.own import InventoryHead, InventoryPlace, InventoryReader
from foldkeep.formats.own import write_inventory as write
from foldkeep.model import Place, Role
from foldkeep.model.disks import Disks
from foldkeep.stock import Stock


def save_inventory(stock: Stock, places: Sequence[Place], path: str) -> tuple[str, int, int]:
    """Save all that the stock knows of the files of places; return where, how many files and bytes.

    Raises UnusableInput if it cannot be written.
    """
    return write(path, inventory_head(stock, places), inventory_folders(stock, places))


def inventory_head(stock: Stock, places: Sequence[Place]) -> InventoryHead:
    """Return what an inventory of places begins with."""
    volumes = stock.places.volumes()
    return InventoryHead(
        time.time_ns(),
        [
            InventoryPlace(
                place.path,
                place.label,
                place.role,
                volumes[place.volume].key,
                volumes[place.volume].name,
                place.scanned_ns,
            )
            for place in places
        ],
        {volume.key: volume.name for volume in volumes.values()},
        stock.machine.get(),
        disks={volume.key: numbers for volume in volumes.values() if (numbers := volume.disks.numbers)},
    )


def inventory_folders(
    stock: Stock, places: Sequence[Place]
) -> Iterator[tuple[bytes, int, str, list[tuple[object, ...]]]]:
    """Yield the folders of places with their files, as inventories are written."""
    volumes = stock.places.volumes()
    numbers = {place.id: number for number, place in enumerate(places)}
    for folder, place, volume, rows in stock.listing.folder_rows(numbers):
        yield folder, numbers[place], volumes[volume].key, rows


def load_inventory(path: str) -> Stock:
    """Return a stock in memory with what an inventory tells; it answers questions as any other.

    Raises UnusableInput if it is no whole inventory.
    """
    reader = inventory_reader(path)
    stock = Stock.open(":memory:", create=True)
    try:
        with stock.transaction(flush=False), stock.files.loading():
            volumes = {key: stock.places.volume(key, name) for key, name in reader.head.volumes.items()}
            for key, name in reader.head.volumes.items():
                stock.places.set_disks(volumes[key], Disks.of_numbers(reader.head.disks.get(key, ()), name))
            places = [
                stock.places.add(place.path, Role(place.role), place.label, volumes[place.volume_key], number)
                for number, place in enumerate(reader.head.places)
            ]
            _fill(stock, reader, places, volumes)
    except BaseException:
        stock.close()
        raise
    return stock


def _fill(stock: Stock, reader: InventoryReader | ColumnsReader, places: list[Place], volumes: dict[str, int]) -> None:
    for part in reader.folders():
        place = places[part.place]
        volume = volumes.get(part.volume_key, place.volume)
        folder = stock.files.enter_folder(part.path, place.id, volume, 0, None)
        stock.files.load(
            folder,
            place.id,
            volume,
            ((*row[:-1], bytes.fromhex(row[-1]) if row[-1] else None) for row in part.rows()),
        )


class InventoryFacts(NamedTuple):
    """Facts of an inventory: its head, and for each of its places how many files of how many bytes.

    Hard links to one file are one.
    """

    head: InventoryHead
    sizes: list[tuple[int, int]]


def read_inventory(path: str) -> InventoryFacts:
    """Read an inventory to its end and tell what it has; raise UnusableInput if it is no whole one."""
    reader = inventory_reader(path)
    sizes = [(0, 0) for _ in reader.head.places]
    linked: set[tuple[int, str, int]] = set()
    for part in reader.folders():
        files, size = sizes[part.place]
        files, size = files + len(part.names), size + sum(part.sizes)
        for bytes_, inode, links in zip(part.sizes, part.inodes, part.links, strict=True):
            if links > 1 and (file := (part.place, part.volume_key, inode)) in linked:
                files, size = files - 1, size - bytes_
            elif links > 1:
                linked.add(file)
        sizes[part.place] = (files, size)
    return InventoryFacts(reader.head, sizes)
