"""What a storage can be asked: the few operations that finding and folding stand on, and what a volume can do, as data.

A storage is a module that has these functions. Folders are open: a number that stands for one until it is closed, so
that nobody can put another folder in its way between a look and a change. No operation follows a symbolic link, and
none replaces a name that is taken.
"""

import os
from contextlib import AbstractContextManager
from typing import Protocol

from foldkeep.model import PathBytes
from foldkeep.model.volumes import Capabilities, Limits, VolumeFacts


class Storage(Protocol):
    """The operations of one storage. All raise OSError with what the storage says."""

    # What is there.

    def volume_of(self, folder: PathBytes, device: int) -> VolumeFacts:
        """Return the facts of the volume of a folder: what tells it from others when it comes back."""
        ...

    def capabilities_of(self, folder: PathBytes) -> Capabilities | None:
        """Return what the volume of a folder can do; None where nothing can be written."""
        ...

    def limits_of(self, folder: PathBytes) -> Limits:
        """Return what names and files the volume of a folder takes."""
        ...

    def facts_of(self, folder: int, name: bytes) -> os.stat_result | None:
        """Return what a name in an open folder stands for; None if there is none."""
        ...

    def opened(self, path: PathBytes, flags: int = ...) -> AbstractContextManager[int]:
        """Hold a file or folder open while a block lasts."""
        ...

    def digest_in(self, folder: int, name: bytes) -> bytes | None:
        """Read a file in an open folder and return its BLAKE3 digest; None if it is no regular file."""
        ...

    # Changes.

    def move(self, source: int, name: bytes, target: int, new_name: bytes) -> None:
        """Rename a file or folder into another open folder; FileExistsError if the name is taken."""
        ...

    def move_to_free(self, source: int, name: bytes, target: int, wanted: bytes) -> bytes:
        """Move to the wanted name or the first beside it that is free, and return that."""
        ...

    def link(self, source: int, name: bytes, target: int, new_name: bytes) -> None:
        """Give a file one more name."""
        ...

    def unlink(self, name: PathBytes | str, folder: int | None = None) -> None:
        """Take a name of a file away."""
        ...

    def remove_folder(self, name: PathBytes | str, folder: int | None = None) -> None:
        """Remove an empty folder."""
        ...

    def flush_volume(self, path: PathBytes) -> None:
        """Bring all that was written on the volume of a folder to the disk."""
        ...
