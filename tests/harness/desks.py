"""Desks: a place, a stock and the program, and what can be read of them."""

import contextlib
import csv
import io
import json
import os
import pty
import sqlite3
import subprocess
import sys
import tempfile
from dataclasses import dataclass
from hashlib import sha256
from pathlib import Path
from typing import Any
from unittest.mock import patch

from foldkeep.cli import Environment, main
from foldkeep.cli.main import COMMANDS
from foldkeep.find.likeness import Measured, Pair
from foldkeep.formats.own import general_recipes
from foldkeep.keep import write_docket
from foldkeep.keep.dockets import alike as dockets_alike
from foldkeep.model import Action, DocketRow, Filter
from foldkeep.stock import KnownPrint, Stock

_SHM = Path("/dev/shm")  # noqa: S108 - a volume that is surely not the one of the tests
MEMORY = _SHM if _SHM.is_dir() else None
DISK = Path(tempfile.gettempdir())
QUICK = DISK if MEMORY is None or "FOLDKEEP_ON_DISK" in os.environ else MEMORY
"""Where tests work that ask nothing of a disk: in memory, which takes two thirds of the time."""


def other_volume(than: Path) -> Path | None:
    """Return a folder on another volume than a path lies on; None if there is none."""
    here = than.stat().st_dev
    return next((each for each in (DISK, MEMORY) if each and each.stat().st_dev != here), None)


# Where the desktop's bin lies is asked once in a process.
TRASH = Path(tempfile.mkdtemp(prefix="bin-", dir=QUICK))


PROGRAM = [sys.executable, "-m", "foldkeep"]


@dataclass
class Answer:
    status: int
    out: str
    err: str

    @property
    def json(self) -> Any:
        return json.loads(self.out)


def new_folder(path: Path) -> Path:
    """Make a folder, and return it."""
    path.mkdir(parents=True)
    return path


class Typed(str):
    """Answers that are typed on a terminal."""


class Terminal(io.StringIO):
    def isatty(self) -> bool:
        return True


class Desk:
    """A folder to work in with a stock of its own, and the program."""

    def __init__(self, top: Path) -> None:
        self.top = top
        self.place = top / "place"
        self.place.mkdir(exist_ok=True)
        self.stock = top / "stock" / "stock.sqlite3"
        self.docket = top / "docket.csv"

    def run(self, *words: str | os.PathLike[str], answer: str = "", **variables: str) -> Answer:
        """Run one command line in this process; an answer that is `Typed` comes from a terminal."""
        out, err = io.StringIO(), io.StringIO()
        named = {
            "FOLDKEEP_STOCK": str(self.stock),
            "XDG_CONFIG_HOME": str(self.top / "config"),
            "XDG_CACHE_HOME": str(self.top / "cache"),
            "XDG_DATA_HOME": str(self.top / "home"),
            "HOME": str(self.top),
            **variables,
        }
        if words and words[0] in COMMANDS:
            words = (*words, "--debug")
        stdin = Terminal(answer) if isinstance(answer, Typed) else io.StringIO(answer)
        status = main([os.fspath(word) for word in words], Environment(stdin, out, err, named))
        assert "a fault of Fold Keep itself" not in err.getvalue(), err.getvalue()
        return Answer(status, out.getvalue(), err.getvalue())

    def ask(self, *words: str | os.PathLike[str], answer: str = "") -> Any:
        """Run one command line with --json and return the document."""
        return self.run(*words, "--json", answer=answer).json

    def write(self, name: str | bytes, content: bytes = b"kite", modified: int = 1_750_000_000) -> Path:
        """Write a file below the place, also where a name begins with a slash, as one does below no folder."""
        path = Path(os.fsdecode(os.path.join(os.fsencode(self.place), os.fsencode(name).lstrip(b"/"))))
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_bytes(content)
        os.utime(path, (modified, modified))
        return path

    def rot(self, name: str) -> bytes:
        """Change a byte of a file of the place as a drive does that forgets: no time that tells of it is remembered."""
        path = self.place / name
        content = bytearray(path.read_bytes())
        facts = path.stat()
        content[len(content) // 2] ^= 0xFF
        path.write_bytes(content)
        os.utime(path, ns=(facts.st_atime_ns, facts.st_mtime_ns))
        with Stock.open(os.fspath(self.stock)) as stock, stock.transaction():
            stock.contents.set_read([(None, None, None, None, path.stat().st_ctime_ns, number) for number in
                                     self._numbers(stock, os.fsencode(path))])  # fmt: skip
        return bytes(content)

    def _numbers(self, stock: Stock, path: bytes) -> list[int]:
        with contextlib.closing(sqlite3.connect(stock.path)) as known:
            rows = known.execute("SELECT f.id, d.path, f.name FROM files f JOIN folders d ON d.id = f.folder")
            return [number for number, folder, name in rows if folder + b"/" + name == path]

    def proposed(self) -> list[str]:
        """Scan, write a fresh docket and return its lines."""
        self.docket.unlink(missing_ok=True)
        self.ask("scan", self.place)
        self.ask("keep", "-o", self.docket)
        return self.docket.read_text().splitlines()


TRUST = [word for recipe in general_recipes() for word in ("--trust", recipe.name)]
"""Takes every recipe's word, where what files are made of is not what a test is about."""


_GRADING = ("caches", "fold", "release", "archive", "projects")


class TrustingDesk(Desk):
    """A desk whose user trusts every recipe; a test adds recipes of its own by `trusted`."""

    trusted: tuple[str, ...] = ()

    def run(self, *words: str | os.PathLike[str], answer: str = "", **variables: str) -> Answer:
        more = [word for name in self.trusted for word in ("--trust", name)] if "--recipes" in words else []
        grades = words[0] in _GRADING and "--check" not in words
        return super().run(*words, *([*TRUST, *more] if grades else []), answer=answer, **variables)


class SureDesk(TrustingDesk):
    """A desk where everything is alike, without being measured: a helper process at every point would take hours."""

    def run(self, *words: str | os.PathLike[str], answer: str = "", **variables: str) -> Answer:
        with patch.object(dockets_alike, "alike_now", lambda *_: Measured(Pair(0, 1, 0.9, 10), (KnownPrint(),) * 2)):
            return super().run(*words, answer=answer, **variables)

    def propose_copies(self) -> None:
        """Write a docket in which every file called a copy goes for the one that it is called a copy of."""
        self.docket.unlink()
        self.ask("scan", self.place, "--read-all")
        with Stock.open(os.fspath(self.stock)) as stock:
            files = {os.fsdecode(file.path): file for file in stock.listing.files(Filter(kinds=("photo",)))}
        for path in files:
            self.ask("show", path)  # what they say of themselves is known from then on
        rows = [
            DocketRow(f"s{Path(path).name[0]}", Action.FOLD if "copy" in path else Action.KEEP, file.path, file.size,
                      file.kind, file.modified_ns, file.digest, "a person's word")
            for path, file in sorted(files.items())
        ]  # fmt: skip
        write_docket(str(self.docket), rows)


def program(*words: str | os.PathLike[str], **options: Any) -> subprocess.CompletedProcess[str]:
    """Run the built program in a process of its own."""
    line = [*PROGRAM, *words]
    return subprocess.run(line, capture_output=True, text=True, check=False, timeout=120, **options)


def on_a_terminal(words: list[str], variables: dict[str, str], typed: dict[str, str] | None = None) -> str:
    """Run the program on a pseudo-terminal of 80 columns and return what it showed.

    What is `typed` is typed when the text that it is an answer to has appeared.
    """
    answers = dict(typed or {})
    mine, theirs = pty.openpty()
    subprocess.run([sys.executable, "-c", "import os, struct, fcntl, termios;"
                    f"fcntl.ioctl({theirs}, termios.TIOCSWINSZ, struct.pack('HHHH', 24, 80, 0, 0))"],
                   pass_fds=[theirs], check=True)  # fmt: skip
    line = [sys.executable, "-m", "foldkeep", *words]
    process = subprocess.Popen(line, stdin=theirs, stdout=theirs, stderr=theirs, env=variables,
                               start_new_session=True)  # fmt: skip
    os.close(theirs)
    shown = b""
    while True:
        try:
            shown += (more := os.read(mine, 65536))
        except OSError:
            break
        if not more:
            break
        for asked in [asked for asked in answers if asked.encode() in shown]:
            os.write(mine, answers.pop(asked).encode() + b"\n")
    assert process.wait() == 0, shown.decode()
    os.close(mine)
    return shown.decode()


def wait_a_week(desk: Desk) -> None:
    """Have more than a week gone by since every fold, by all clocks: what lies across sides may be released then."""
    passed = 8 * 24 * 3600 * 10**9
    with contextlib.closing(sqlite3.connect(desk.stock)) as stock, stock:
        line = "UPDATE run_clocks SET from_ns = from_ns - ?1, since_boot_ns = since_boot_ns - ?1"
        stock.execute(line, (passed,))


def listing(top: Path) -> dict[bytes, tuple[str, int, int, int]]:
    """Return every regular file outside folds with its SHA-256, mode, time in ns and inode."""
    return {
        path: (digest, facts.st_mode, facts.st_mtime_ns, facts.st_ino)
        for path, digest, facts in read_everything(os.fsencode(top))
        if b"/.foldkeep/" not in path
    }


def read_everything(top: bytes):
    """Yield path, SHA-256 and facts of every regular file below a folder: the plain oracle."""
    for folder, _, names in os.walk(top):
        for name in names:
            path = os.path.join(folder, name)
            with contextlib.suppress(OSError):
                facts = os.lstat(path)
                if os.path.isfile(path) and not os.path.islink(path):
                    with open(path, "rb") as file:
                        yield path, sha256(file.read()).hexdigest(), facts


def contents(top: Path) -> set[str]:
    """Return the SHA-256 of every content below a folder, folds included."""
    return {digest for _, digest, _ in read_everything(os.fsencode(top))}


def left(answer) -> list[tuple[str, str]]:
    return [(os.path.basename(entry["path"]), entry["reason"]) for entry in answer["left"]]


def edit(docket: Path, change) -> None:
    """Change the rows of a docket as a person would."""
    with docket.open(newline="") as stream:
        rows = list(csv.DictReader(stream))
    changed = [row for row in map(change, rows) if row]
    with docket.open("w", newline="") as stream:
        writer = csv.DictWriter(stream, rows[0])
        writer.writeheader()
        writer.writerows(changed)


def state(top: Path) -> dict:
    """Every file with its SHA-256, mode, time and inode, every link with its text, every folder with mode and time."""
    found: dict = dict(listing(top))
    for folder, inner, names in os.walk(top):
        for name in [*inner, *names]:
            path = os.path.join(folder, name)
            if os.path.islink(path):
                found[path] = os.readlink(path)
            elif os.path.isdir(path):
                facts = os.stat(path)
                found[path] = (facts.st_mode, facts.st_mtime_ns)
    return found


KITE = b"k" * 40


def pair(desk: Desk, keeper: str = "kite.jpg", spare: str = "old/kite.jpg", body: bytes = KITE) -> tuple[Path, Path]:
    return desk.write(keeper, body), desk.write(spare, body)


def folded_pair(desk: Desk, keeper: str = "kite.jpg") -> tuple[Path, Path]:
    """Write a keeper and its spare, and fold the spare; what stays was scanned as read."""
    both = pair(desk, keeper=keeper)
    desk.proposed()
    assert desk.ask("fold", desk.docket, "--yes")["folded"] == 1
    return both


def edit_quietly(path: Path, body: bytes) -> None:
    """Write into a file and put its times back, as programs for tags do."""
    facts = path.stat()
    with path.open("r+b") as file:
        file.write(body)
    os.utime(path, ns=(facts.st_atime_ns, facts.st_mtime_ns))
