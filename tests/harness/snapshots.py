"""Folders kept in memory, to be laid out again as they were: in less time than it takes to start `cp`."""

import contextlib
import os
import stat
from dataclasses import dataclass, field
from pathlib import Path


@dataclass
class Snapshot:
    """What lies below a folder: contents, links, modes, times, extended attributes.

    The folder itself stays the one that it is, so that a stock knows it by its inode.
    """

    top: bytes
    _entries: list[tuple[bytes, os.stat_result, bytes, dict[str, bytes]]] = field(default_factory=list)

    @classmethod
    def of(cls, top: Path) -> "Snapshot":
        """Return a snapshot of a folder as it is; it may not be there."""
        made = cls(os.fsencode(top))
        if top.is_dir():
            made._keep(b"")
        return made

    def _keep(self, name: bytes) -> None:
        path = os.path.join(self.top, name)
        facts = os.lstat(path)
        content = b""
        if stat.S_ISLNK(facts.st_mode):
            content = os.readlink(path)
        elif stat.S_ISREG(facts.st_mode):
            with open(path, "rb") as file:
                content = file.read()
        attributes = {}
        with contextlib.suppress(OSError, AttributeError):
            attributes = {each: os.getxattr(path, each) for each in os.listxattr(path, follow_symlinks=False)}
        self._entries.append((name, facts, content, attributes))
        if stat.S_ISDIR(facts.st_mode):
            for each in sorted(os.listdir(path)):
                self._keep(os.path.join(name, each))

    def restore(self) -> None:
        """Lay the folder out again."""
        _empty(self.top)
        if not self._entries:
            with contextlib.suppress(FileNotFoundError):
                os.rmdir(self.top)
            return
        made: dict[tuple[int, int], bytes] = {}
        for name, facts, content, attributes in self._entries:
            path = os.path.join(self.top, name)
            first = made.setdefault((facts.st_dev, facts.st_ino), path)
            if stat.S_ISDIR(facts.st_mode):
                with contextlib.suppress(FileExistsError):
                    os.mkdir(path)
            elif stat.S_ISLNK(facts.st_mode):
                os.symlink(content, path)
                os.utime(path, ns=(facts.st_atime_ns, facts.st_mtime_ns), follow_symlinks=False)
            elif first != path:
                os.link(first, path)
            else:
                descriptor = os.open(path, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600)
                os.write(descriptor, content)
                os.fchmod(descriptor, stat.S_IMODE(facts.st_mode))
                os.utime(descriptor, ns=(facts.st_atime_ns, facts.st_mtime_ns))
                os.close(descriptor)
            for each, value in attributes.items():
                os.setxattr(path, each, value, follow_symlinks=False)
        for name, facts, _, _ in reversed(self._entries):
            if stat.S_ISDIR(facts.st_mode):
                path = os.path.join(self.top, name)
                os.chmod(path, stat.S_IMODE(facts.st_mode))
                os.utime(path, ns=(facts.st_atime_ns, facts.st_mtime_ns))


def _empty(top: bytes) -> None:
    if os.path.islink(top) or os.path.isfile(top):
        os.unlink(top)
        return
    with contextlib.suppress(FileNotFoundError):
        for entry in list(os.scandir(top)):
            if entry.is_dir(follow_symlinks=False):
                os.chmod(entry.path, 0o700)
                _empty(entry.path)
                os.rmdir(entry.path)
            else:
                os.unlink(entry.path)
