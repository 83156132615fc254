"""What a power cut may leave: changes are recorded, those that were not flushed are taken away, torn, or let stand.

A change of a name lasts once its folder was flushed after it (a rename, once both were); what is written into a file
once that was. Everything else may be on the disk or not, whatever came before or after it; only changes of one name are
not overtaken by each other, and a rename is there or not, as where a file system keeps a journal or copies on write.
"""

import hashlib
import itertools
import os
import random
import shutil
import stat
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field
from pathlib import Path

import foldkeep.storage.local.changes.names as names
from foldkeep.stock import Stock
from foldkeep.storage import local


@dataclass
class Node:
    """A file, folder or link of the model; a link has its text as data."""

    kind: str
    data: bytes = b""
    mode: int = 0o644
    times: tuple[int, int] | None = None
    names: dict[bytes, int] = field(default_factory=dict)

    def copy(self) -> "Node":
        return Node(self.kind, self.data, self.mode, self.times, dict(self.names))


@dataclass(frozen=True)
class Change:
    """One change: what was done, to which nodes; `folders` are those that have to be flushed for it to last."""

    what: str
    node: int
    folders: tuple[int, ...] = ()
    names: tuple[bytes, ...] = ()
    data: bytes = b""
    at: int = 0
    stock: int = 0


class Recorder:
    """Records every change below some folders, and every flush, in order."""

    def __init__(self, tops: list[Path], stock: Path, snapshots: Path) -> None:
        self.tops = tops
        self.nodes: dict[int, Node] = {}
        self.changes: list[Change] = []
        self._by_inode: dict[tuple[int, int], int] = {}
        self._stock, self._snapshots = stock, snapshots
        self.stocks = 0
        self.roots = [self._walk(top) for top in tops]
        self._snapshot()

    def _walk(self, path: Path) -> int:
        facts = path.lstat()
        if (known := self._by_inode.get((facts.st_dev, facts.st_ino))) is not None:
            return known
        kind = "folder" if stat.S_ISDIR(facts.st_mode) else "link" if stat.S_ISLNK(facts.st_mode) else "file"
        data = os.readlink(os.fsencode(path)) if kind == "link" else path.read_bytes() if kind == "file" else b""
        node = self._new(facts, Node(kind, data, stat.S_IMODE(facts.st_mode), (facts.st_atime_ns, facts.st_mtime_ns)))
        if kind == "folder":
            self.nodes[node].names = {os.fsencode(each.name): self._walk(each) for each in path.iterdir()}
        return node

    def _new(self, facts: os.stat_result, node: Node) -> int:
        number = len(self.nodes)
        self.nodes[number] = node
        self._by_inode[facts.st_dev, facts.st_ino] = number
        return number

    def _snapshot(self) -> None:
        self.stocks += 1
        shutil.copytree(self._stock, self._snapshots / str(self.stocks), ignore=shutil.ignore_patterns("*.lock"))

    def node_of(self, facts: os.stat_result) -> int | None:
        return self._by_inode.get((facts.st_dev, facts.st_ino))

    def spot(self, path, dir_fd=None) -> tuple[int, bytes] | None:
        """Return the folder's node and the name; None outside of what is watched."""
        above, name = os.path.split(os.fsencode(path))
        try:
            facts = os.stat(above or b".", dir_fd=dir_fd) if above else os.fstat(dir_fd) if dir_fd is not None else None
        except OSError:
            return None
        folder = self.node_of(facts) if facts else None
        return (folder, name) if folder is not None else None

    def add(self, what: str, node: int | None, folders=(), names_=(), data: bytes = b"", at: int = 0) -> None:
        if node is not None:
            self.changes.append(Change(what, node, tuple(folders), tuple(names_), bytes(data), at, self.stocks))

    @contextmanager
    def armed(self) -> Iterator[None]:
        real_flush = local.flush_volume

        def flushed(path):
            real_flush(path)
            for node in self.nodes:  # a flush of the volume is one of every file on it
                self.add("flush", node)

        local.flush_volume = flushed
        watched = (
            "open mkdir rmdir unlink link symlink rename write pwrite ftruncate utime chmod fchmod fsync"
        ).split()
        real = {name: getattr(os, name) for name in watched}
        real_rename, real_transaction = names._rename_without_replacing, Stock.transaction
        for name in watched:
            setattr(os, name, getattr(self, f"_{name}")(real[name]))
        names._rename_without_replacing = self._moved(real_rename)
        recorder = self

        @contextmanager
        def transaction(stock, **named):
            with real_transaction(stock, **named) as renew:
                yield renew
            recorder._snapshot()

        Stock.transaction = transaction
        try:
            yield
        finally:
            for name, function in real.items():
                setattr(os, name, function)
            names._rename_without_replacing, Stock.transaction = real_rename, real_transaction
            local.flush_volume = real_flush

    def _open(self, real):
        def opened(path, flags, mode=0o777, *, dir_fd=None):
            spot = self.spot(path, dir_fd) if flags & os.O_CREAT else None
            before = None
            if spot:
                try:
                    before = os.stat(path, dir_fd=dir_fd, follow_symlinks=False)
                except OSError:
                    before = None
            descriptor = real(path, flags, mode, dir_fd=dir_fd)
            if spot and before is None:
                node = self._new(os.fstat(descriptor), Node("file", mode=mode & 0o777))
                self.add("name", node, [spot[0]], [spot[1]])
            return descriptor

        return opened

    def _mkdir(self, real):
        def made(path, mode=0o777, *, dir_fd=None):
            real(path, mode, dir_fd=dir_fd)
            if spot := self.spot(path, dir_fd):
                node = self._new(os.stat(path, dir_fd=dir_fd), Node("folder", mode=mode & 0o755))
                self.add("name", node, [spot[0]], [spot[1]])

        return made

    def _symlink(self, real):
        def made(text, path, *, dir_fd=None, **named):
            real(text, path, dir_fd=dir_fd, **named)
            if spot := self.spot(path, dir_fd):
                node = self._new(os.stat(path, dir_fd=dir_fd, follow_symlinks=False), Node("link", os.fsencode(text)))
                self.add("name", node, [spot[0]], [spot[1]])

        return made

    def _link(self, real):
        def linked(source, path, *, src_dir_fd=None, dst_dir_fd=None, **named):
            real(source, path, src_dir_fd=src_dir_fd, dst_dir_fd=dst_dir_fd, **named)
            if spot := self.spot(path, dst_dir_fd):
                facts = os.stat(path, dir_fd=dst_dir_fd, follow_symlinks=False)
                self.add("name", self.node_of(facts), [spot[0]], [spot[1]])

        return linked

    def _unlink(self, real):
        def unlinked(path, *, dir_fd=None):
            spot = self.spot(path, dir_fd)
            node = self.node_of(os.stat(path, dir_fd=dir_fd, follow_symlinks=False)) if spot else None
            real(path, dir_fd=dir_fd)
            if spot:
                self.add("unname", node, [spot[0]], [spot[1]])

        return unlinked

    _rmdir = _unlink

    def _rename(self, real):
        def renamed(source, target, *, src_dir_fd=None, dst_dir_fd=None):
            self._renamed(
                lambda: real(source, target, src_dir_fd=src_dir_fd, dst_dir_fd=dst_dir_fd),
                (source, src_dir_fd), (target, dst_dir_fd),
            )  # fmt: skip

        return renamed

    def _moved(self, real):
        def moved(source, name, target, new_name):
            self._renamed(lambda: real(source, name, target, new_name), (name, source), (new_name, target))

        return moved

    def _renamed(self, act, source, target) -> None:
        one, other = self.spot(*source), self.spot(*target)
        node = self.node_of(os.stat(source[0], dir_fd=source[1], follow_symlinks=False)) if one else None
        act()
        if one and other:
            self.add("rename", node, [one[0], other[0]], [one[1], other[1]])

    def _written(self, descriptor: int, data: bytes, at: int) -> None:
        self.add("write", self.node_of(os.fstat(descriptor)), data=data, at=at)

    def _write(self, real):
        def write(descriptor, data):
            at = os.lseek(descriptor, 0, os.SEEK_CUR) if stat.S_ISREG(os.fstat(descriptor).st_mode) else 0
            size = real(descriptor, data)
            self._written(descriptor, bytes(data)[:size], at)
            return size

        return write

    def _pwrite(self, real):
        def pwrite(descriptor, data, at):
            size = real(descriptor, data, at)
            self._written(descriptor, bytes(data)[:size], at)
            return size

        return pwrite

    def _ftruncate(self, real):
        def truncated(descriptor, size):
            real(descriptor, size)
            self.add("size", self.node_of(os.fstat(descriptor)), at=size)

        return truncated

    def _meta(self, real):
        def changed(path, *args, dir_fd=None, follow_symlinks=True, **named):
            where = {} if isinstance(path, int) else {"dir_fd": dir_fd, "follow_symlinks": follow_symlinks}
            real(path, *args, **where, **named)
            facts = os.fstat(path) if isinstance(path, int) else os.stat(path, **where)
            text = f"{stat.S_IMODE(facts.st_mode)} {facts.st_atime_ns} {facts.st_mtime_ns}"
            self.add("meta", self.node_of(facts), data=text.encode())

        return changed

    _utime = _chmod = _fchmod = _meta

    def _fsync(self, real):
        def flushed(descriptor):
            real(descriptor)
            self.add("flush", self.node_of(os.fstat(descriptor)))

        return flushed


def unflushed_at(changes: list[Change]) -> list[int]:
    """Return the positions of the changes that may not be on the disk after all of these."""
    flushed: dict[int, int] = {}
    for at, change in enumerate(changes):
        if change.what == "flush":
            flushed[change.node] = at
    return [
        at
        for at, change in enumerate(changes)
        if change.what != "flush" and any(flushed.get(needed, -1) < at for needed in change.folders or (change.node,))
    ]


def in_order(changes: list[Change], open_: list[int], present: frozenset[int]) -> frozenset[int]:
    """Return which changes are on the disk, without those of a name that an absent one came before."""
    held: set[tuple[int, bytes]] = set()
    found = set(present)
    for at in open_:
        spots = set(zip(changes[at].folders, changes[at].names, strict=True))
        if at not in present or spots & held:
            found.discard(at)
            held |= spots
    return frozenset(found)


def subsets(open_: list[int], most: int, seed: int, many: int) -> Iterator[frozenset[int]]:
    """Yield which of the unflushed changes are on the disk: all combinations of few; of many, a choice."""
    if len(open_) <= most:
        for count in range(len(open_) + 1):
            yield from map(frozenset, itertools.combinations(open_, count))
        return
    everything = frozenset(open_)
    yield frozenset()
    yield everything
    yield from (everything - {each} for each in open_)
    yield from (frozenset({each}) for each in open_)
    choose = random.Random(seed)
    yield from (frozenset(each for each in open_ if choose.random() < 0.5) for _ in range(many))


def after_cut(
    nodes: dict[int, Node], changes: list[Change], absent: frozenset[int], torn: int | None
) -> dict[int, Node]:
    """Return the nodes as they are on the disk when some changes are absent, and one that is written is torn."""
    found = {number: node.copy() for number, node in nodes.items()}
    for at, change in enumerate(changes):
        if at in absent or change.what == "flush":
            continue
        node = found[change.node]
        if change.what == "name":
            found[change.folders[0]].names[change.names[0]] = change.node
        elif change.what == "unname":
            if found[change.folders[0]].names.get(change.names[0]) == change.node:
                del found[change.folders[0]].names[change.names[0]]
        elif change.what == "rename":
            if found[change.folders[0]].names.get(change.names[0]) == change.node:
                del found[change.folders[0]].names[change.names[0]]
            found[change.folders[1]].names[change.names[1]] = change.node
        elif change.what == "write":
            data = change.data[: len(change.data) // 2] if at == torn else change.data
            whole = node.data.ljust(change.at, b"\0")
            node.data = whole[: change.at] + data + whole[change.at + len(data) :]
        elif change.what == "size":
            node.data = node.data[: change.at].ljust(change.at, b"\0")
        else:
            mode, accessed, modified = map(int, change.data.split())
            node.mode, node.times = mode, (accessed, modified)
    return found


def digest_of(found: dict[int, Node], roots: list[int]) -> bytes:
    """Return what tells one state from another."""
    hasher = hashlib.sha256()

    def walk(number: int) -> None:
        node = found[number]
        hasher.update(f"{node.kind} {node.mode} {node.times} {len(node.data)} {number} ".encode() + node.data)
        for name in sorted(node.names):
            hasher.update(name)
            walk(node.names[name])

    for root in roots:
        walk(root)
    return hasher.digest()


def lay_out(found: dict[int, Node], root: int, top: Path) -> None:
    """Make a folder what the model says."""
    made: dict[int, bytes] = {}

    def lay(number: int, path: bytes) -> None:
        node = found[number]
        if node.kind == "folder":
            os.mkdir(path)
            for name, inner in node.names.items():
                lay(inner, os.path.join(path, name))
            os.chmod(path, node.mode)
        elif node.kind == "link":
            os.symlink(node.data, path)
        elif number in made:
            os.link(made[number], path)
        else:
            made[number] = path
            with open(path, "wb") as file:
                file.write(node.data)
            os.chmod(path, node.mode)
            if node.times:
                os.utime(path, ns=node.times)

    shutil.rmtree(top, ignore_errors=True)
    lay(root, os.fsencode(top))
