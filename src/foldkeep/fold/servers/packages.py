"""Packages on servers that vouch for what is released: fetched whole, and compared with their manifests."""

import os
import tempfile
import time

from foldkeep.formats.packages import bagit
from foldkeep.model import PathBytes, UnusableInput
from foldkeep.scan.packages import check_package
from foldkeep.stock import Archived
from foldkeep.storage.remote import RemoteStamp, fetch, read_remote, remote_storage, stamps_below

from .looking import read_whole

_PACKAGE_SECONDS = 1.0


class RemotePackage:
    """A package on a server as it was when all of it was read.

    Attributes
    ----------
    is_whole
        Whether it is what its manifests say, and still stood after that.
    """

    def __init__(self, archive: Archived) -> None:
        self.archive = archive
        self._storage = remote_storage(archive.package)
        self._contents: set[bytes] = set()
        self._digests: dict[PathBytes, bytes] = {}
        self._stamps: dict[PathBytes, RemoteStamp] = {}
        self._looked = 0.0
        try:
            self.is_whole = self._read() and self.stands()
        except (OSError, UnusableInput):
            self.is_whole = False

    def _read(self) -> bool:
        with tempfile.TemporaryDirectory(prefix="foldkeep-") as folder:
            self._stamps = fetch(self._storage, self.archive.package, os.fsencode(folder), lambda _: None)
            here = os.path.join(os.fsencode(folder), os.path.basename(self.archive.package))
            self._digests = {path: read_whole(here + path[len(self.archive.package) :])[0] for path in self._stamps}
            checked = check_package(here, has_contents=True)
            self._contents = set(checked.contents or ())
            return checked.is_whole and checked.info.get(bagit.KEY_TAG) == self.archive.key

    def holds(self, digest: bytes) -> bool:
        """Tell whether a content is in it."""
        return digest in self._contents

    def stands(self, digest: bytes = b"") -> bool:  # noqa: ARG002 - as a package on a disk is asked
        """Look whether every file of it is as it was when it was read; where no entity tags tell, read it once more."""
        if time.monotonic() - self._looked < _PACKAGE_SECONDS:
            return True
        try:
            now = stamps_below(self._storage, self.archive.package)
            if now.keys() != self._stamps.keys() or not all(
                stamp.may_be(now[path]) for path, stamp in self._stamps.items()
            ):
                return False
            untold = [path for path, stamp in self._stamps.items() if not stamp.etag]
            if any(read_remote(path, storage=self._storage)[0] != self._digests[path] for path in untold):
                return False
            self._stamps = now  # what came to have a tag was read since
        except (OSError, UnusableInput):
            return False
        self._looked = time.monotonic()
        return True
