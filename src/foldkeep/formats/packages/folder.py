"""A package that is a folder."""

import os
import stat
from collections.abc import Iterator
from typing import IO

from .bagit import BadPackage
from .names import Named
from .package import Package, Stream, Told

_FOLDER = os.O_RDONLY | os.O_DIRECTORY | os.O_NOFOLLOW | os.O_CLOEXEC
_FILE = os.O_RDONLY | os.O_NOFOLLOW | os.O_CLOEXEC


class FolderPackage(Package):
    """A folder; every file of it can be opened by itself, and no link in it is followed."""

    def look(self, _: Told | None) -> None:
        ahead = [b""]
        while ahead:  # no recursion: folders may lie in each other to any depth
            below = ahead.pop()
            folder = self._opened(below, _FOLDER)
            try:
                for name in map(os.fsencode, os.listdir(folder)):
                    inner = below + b"/" + name if below else name
                    facts = os.stat(name, dir_fd=folder, follow_symlinks=False)
                    if stat.S_ISDIR(facts.st_mode):
                        self.names.add_folder(os.fsdecode(inner))
                        ahead.append(inner)
                    elif stat.S_ISREG(facts.st_mode):
                        self.names.add_file(os.fsdecode(inner), facts.st_size)
                    else:
                        raise BadPackage(f"it has a link or a special file: {os.fsdecode(inner)!r}")
            finally:
                os.close(folder)

    def _opened(self, below: bytes, flags: int) -> int:
        steps = below.split(b"/") if below else []
        here = os.open(self.path, _FOLDER & ~os.O_NOFOLLOW)
        for number, step in enumerate(steps, start=1):
            try:
                inner = os.open(step, flags if number == len(steps) else _FOLDER, dir_fd=here)
            finally:
                os.close(here)
            here = inner
        return here

    def open(self, name: str) -> IO[bytes]:
        """Open a file; no link is followed."""
        return os.fdopen(self._opened(os.fsencode(name), _FILE), "rb", buffering=0)

    def _open_tag(self, named: Named) -> IO[bytes]:
        return self.open(named.path)

    def contents(self) -> Iterator[tuple[Named, Stream]]:
        for named in self.names.below():
            with self.open(named.path) as file:
                yield named, file
