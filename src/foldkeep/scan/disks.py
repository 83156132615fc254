"""Which disks files are on: by the system's own files, by what was found while a drive was here, by the user's word."""

import os
from contextlib import suppress

from foldkeep.model import PathBytes, Place
from foldkeep.model.disks import NEVER_KNOWN, Disks
from foldkeep.model.names import innermost
from foldkeep.model.remote import host_of, is_remote
from foldkeep.stock import Stock
from foldkeep.storage.local.drives import DiskFinder


class DisksOfFiles:
    """Tells the disks under files in places and beside them."""

    def __init__(self, stock: Stock) -> None:
        self._finder = DiskFinder()
        self._places = {place.path: place for place in stock.places.all()}
        self._volumes = stock.places.volumes()
        self._servers: dict[str, Disks] = {}

    def now(self, path: PathBytes, device: int) -> Disks:
        """Return the disks under a file or folder of this computer, of which `device` is the ``st_dev``."""
        return self._finder.disks_of(path, device).named(self._said(path))

    def on_server(self, path: PathBytes) -> Disks:
        """Return the disks under a file on a server."""
        host = host_of(path)[1]
        if host not in self._servers:
            self._servers[host] = self._finder.of_server(host)
        return self._servers[host].named(self._said(path))

    def of_place(self, place: Place, volume: int, *, is_here: bool) -> Disks:
        """Return the disks under the files of a place on a volume; as its last scan found them, if it is away."""
        if is_remote(place.path):
            return self.on_server(place.path)
        if is_here and volume == place.volume:
            with suppress(OSError):
                return self.now(place.path, os.stat(place.path).st_dev)
        known = self._volumes[volume].disks if volume in self._volumes else NEVER_KNOWN
        return known.remembered().named(place.disk)

    def _said(self, path: PathBytes) -> str:
        top = innermost(self._places, path, itself=True)
        return self._places[top].disk if top is not None else ""
