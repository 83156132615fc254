"""Every request to a server is a point at which something can go wrong, or another program act."""

import errno
import itertools
import os
import signal
import sys
import threading
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import Any
from unittest.mock import patch

from foldkeep.cli import main
from foldkeep.fold.servers.fence import FENCE
from foldkeep.storage.dav import multistatus
from foldkeep.storage.remote import Connections, ServerGone, TryLater, connections, remote_storage
from harness.desks import Desk, listing, wait_a_week
from harness.points import every_content
from harness.servers import Served
from harness.snapshots import Snapshot

OPERATIONS = ("files", "facts", "part", "parts", "quota", "make_folder", "write_new", "move", "remove")
CHANGING = ("make_folder", "write_new", "move", "remove")

Visit = Callable[[int, str, "Request"], Any]
"""Is told the number of a request, its name, and what does it; what it returns or raises, the request does."""


@dataclass(frozen=True)
class Request:
    """A request that is done when it is called; `again` does it over a connection of its own."""

    real: Callable[..., Any]
    name: str
    words: tuple[Any, ...]
    named: dict[str, Any]

    def __call__(self) -> Any:
        found = self.real(*self.words, **self.named)
        return list(found) if self.name == "parts" else found

    def again(self) -> None:
        with connections(Connections()):
            getattr(remote_storage(self.words[0]), self.name)(*self.words, **self.named)


class Requests:
    """A storage of a server whose every request is passed to `visit`."""

    def __init__(self, inner: Any, visit: Visit, numbers: Iterator[int]) -> None:
        self._inner, self._visit, self._numbers = inner, visit, numbers

    def __getattr__(self, name: str) -> Any:
        real = getattr(self._inner, name)
        if name not in OPERATIONS:
            return real

        def request(*words: Any, **named: Any) -> Any:
            if name == "write_new":  # it may be done again
                words = (words[0], list(words[1]), words[2])
            return self._visit(next(self._numbers), name, Request(real, name, words, named))

        return request


@contextmanager
def watched(visit: Visit) -> Iterator[list[str]]:
    """Pass every request to a server to `visit` in the block; yields the names of those that were made."""
    made: list[str] = []
    numbers = itertools.count(1)
    real = Connections._opened

    one_at_a_time = threading.Lock()  # so that what a visit sees before and after is no other request's doing

    def noted(number: int, name: str, do: Request) -> Any:
        with one_at_a_time:
            made.append(name)
            return visit(number, name, do)

    with patch.object(Connections, "_opened", lambda self, path: Requests(real(self, path), noted, numbers)):
        yield made


class Faults:
    """Lets the request of a number go wrong in one way.

    Attributes
    ----------
    late
        What is still to be done, since its answer came too late.
    """

    WORDS = ("refused", "unsent", "lost", "twice", "late", "denied", "locked", "full")

    def __init__(self, number: int, word: str) -> None:
        self._number, self._word = number, word
        self.late: list[Request] = []

    def visit(self, number: int, name: str, do: Request) -> Any:
        if number != self._number:
            return do()
        if self._word == "refused":
            raise TryLater("the server is busy; try again later")
        if self._word == "unsent":
            raise ServerGone("the connection to the server was lost")
        if self._word == "denied":
            raise PermissionError(errno.EACCES, "the server does not allow it")
        if self._word == "locked":
            raise OSError(errno.EBUSY, "another program has locked it on the server")
        if self._word == "full":
            raise OSError(errno.ENOSPC, "no space left on the server")
        if self._word == "late":
            self.late.append(do)
            raise ServerGone("the server does not answer")
        if self._word == "twice":
            do()
            return do()
        do()
        raise ServerGone("the connection to the server was lost")

    def arrive(self) -> None:
        """Do what is late."""
        for do in self.late:
            try:
                do.again()
            except OSError:
                continue


SIDES = ("there", "here", "within")
COMMANDS = ("fold", "unfold", "release")
UP_COMMANDS = ("copy", "uncopy", "move", "unmove")
"""Commands of the side ``up``: what lies here is copied, or moved, onto the server."""


@contextmanager
def late_tags(first: int) -> Iterator[list[str]]:
    """Have the server give no strong entity tag in its first answers; the list tells how many it was asked for.

    So do servers with what was just written: for some seconds they cannot tell whether it changes (RFC 9110, 8.8.1).
    """
    real, asked = multistatus._strong, []

    def strong(tag: str) -> str:
        asked.append(tag)
        return real(tag) if len(asked) > first else ""

    multistatus._strong = strong
    try:
        yield asked
    finally:
        multistatus._strong = real


class RemoteScenes:
    """A desk and a server with copies on both, made once and set up again before each trial.

    Parameters
    ----------
    side
        Where the spares lie: on the server, here, or both they and their keepers there; ``up`` is for what goes there.
    """

    def __init__(self, top: Path, server: Served, side: str, command: str) -> None:
        top.mkdir(parents=True, exist_ok=True)
        self.desk, self.server, self.side, self.command = Desk(top), server, side, command
        self._make()
        self.before = self.state()
        self.kept = self.contents()
        if command not in ("fold", "copy", "move"):
            self._fold()
            wait_a_week(self.desk)
        for each in (self.server.folder, *self.server.folder.rglob("*")):
            each.chmod(0o777)
        self._saved = [Snapshot.of(each) for each in (self.desk.place, self.server.folder, self.desk.stock.parent)]

    def _write(self, is_spare: bool, name: str, content: bytes) -> None:
        there = self.side == "within" or is_spare == (self.side == "there")
        folder = "spares" if is_spare else "keepers"
        (self.server if there else self.desk).write(f"{folder}/{name}", content)

    def _make_card(self) -> None:
        for number in range(3):
            self.desk.write(f"card/DCIM/kite {number}.jpg", b"%d" % number * 5000)
        self.server.write("album/DCIM/kite 0.jpg", b"somebody else's")
        self.desk.ask("scan", self.desk.place, self.server.url, "--read-all")
        self.desk.ask("places", "--separate", *(place["label"] for place in self.desk.ask("places")["places"]))
        if "copy" in self.command:
            self.desk.run("coverage", self.desk.place / "card", "-o", self.desk.docket)
        else:
            self.desk.ask("list", "--under", self.desk.place / "card", "-o", self.desk.docket)
        assert self.desk.docket.read_text().count("/card/") >= 3

    def _make(self) -> None:
        if self.side == "up":
            self._make_card()
            return
        for number in range(3):
            content = b"%d" % number * 5000
            self._write(False, f"kite {number}.jpg", content)
            self._write(True, f"copy of kite {number}.jpg", content)
        self._write(False, "kite 0.xmp", b"said of it")
        self._write(True, "copy of kite 0.xmp", b"said of it")
        self._write(True, "copy of kite 1.xmp", b"said of the copy alone")
        self._write(True, "alone.jpg", b"alone" * 500)
        self.desk.ask("scan", self.desk.place, self.server.url)
        one, other = (place["label"] for place in self.desk.ask("places")["places"])
        self.desk.ask("places", "--separate", one, other)
        self.desk.ask("keep", "-o", self.desk.docket, "--prefer", "plain-name")
        assert self.desk.docket.read_text().count(",fold,") >= 3

    def _fold(self) -> None:
        answer = self.desk.run(*self._first_line())
        assert answer.json["folded"] >= 3, answer

    def _first_line(self) -> list[str]:
        more = []
        if self.side == "up":
            more = ["--method", self.command.removeprefix("un"), "--to", f"{self.server.url}/album"]
            more += ["--below", str(self.desk.place / "card")] if "copy" in self.command else []
        return ["fold", str(self.desk.docket), "--yes", *more, "--json"]

    def rewrite(self, path: Path) -> None:
        """Change a file as a program does that puts size and time back; not the time where its tag would stay then."""
        facts = path.stat()
        path.write_bytes(b"edited" + path.read_bytes()[6:])
        hides = not (self.server.tags_by_time and path.is_relative_to(self.server.folder))
        os.utime(path, ns=(facts.st_atime_ns, facts.st_mtime_ns + (not hides) * 1_000_000))

    def line(self) -> list[str]:
        """Return the command line of the trial."""
        if self.command == "release":
            return ["release", "1", "--yes", "--json"]
        return ["unfold", "1", "--json"] if self.command.startswith("un") else self._first_line()

    def reset(self) -> None:
        """Set everything up again as it was before the trial."""
        for snapshot in self._saved:
            snapshot.restore()

    def contents(self) -> set[str]:
        """Return all contents, those in folds too, but for what is ours there."""
        return every_content(self.desk.place, self.server.folder)

    def state(self) -> dict[bytes, tuple[Any, ...]]:
        """Return content and time of each file outside the folds, on both sides."""
        return {
            path: (facts[0], facts[2] // 10**9)
            for folder in (self.desk.place, self.server.folder)
            for path, facts in listing(folder).items()
            if b"/.foldkeep" not in path and facts[0]
        }

    def check_settled(self, where: object) -> None:
        """Look that the ledger agrees with what lies there, and that nothing is open."""
        runs = self.desk.ask("ledger")["runs"]
        if not runs:
            return
        (run,) = runs
        assert not run["underway"], where
        assert not run["files"]["planned"], where
        folds = [
            path for folder in (self.desk.place, self.server.folder) for path in folder.glob(".foldkeep/*/files/[0-9]*")
        ]
        assert run["files"]["waiting"] == len([path for path in folds if path.read_bytes() != FENCE]), where
        for each in self.desk.ask("ledger", "1")["runs"][0]["details"]:
            if each["state"] == "moved":
                assert next(self.server.folder.rglob(each["target"]["path"].rpartition("/")[2]), None), where

    def own(self, name: str) -> Path:
        """Return where a spare or keeper lies on this machine."""
        found = [path for folder in (self.desk.place, self.server.folder) for path in folder.rglob(name)]
        return next(path for path in found if ".foldkeep" not in path.parts)


def killed(number: int, words: list[str]) -> None:
    """Run a command line and kill this process at a request."""

    def visit(at: int, name: str, do: Request) -> Any:
        if at == number:
            os.kill(os.getpid(), signal.SIGKILL)
        return do()

    with watched(visit):
        sys.exit(main(words))


if __name__ == "__main__":
    killed(int(sys.argv[1]), sys.argv[2:])
