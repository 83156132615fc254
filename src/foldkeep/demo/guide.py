"""The guided example: the commands that a user would type, run one after another on the sample library."""

import os
import shlex
import tempfile
from collections.abc import Callable, Iterator
from contextlib import chdir
from dataclasses import dataclass

from blake3 import blake3

from foldkeep.model import UnusableInput, visible
from foldkeep.model.work import reason_of
from foldkeep.storage.local.reading import FILE, open_path

from .library import make_library

STOCK = "stock.sqlite3"
CHECK_UP = ["checkup"]
CARD = "library/card copies/camera A saturday"

_STEPS: tuple[tuple[str, list[str]], ...] = (
    ("First, look at the folder that the desk works in.", ["scan", "library"]),
    (
        "The drive on the shelf is a backup. Told so, its copies are never taken for spares.",
        ["scan", "shelf-drive", "--role", "backup"],
    ),
    ("What is there more than once?", ["duplicates", "--top", "4"]),
    ("And what lies once only, or on one drive alone?", ["coverage"]),
    (
        "May this card be formatted? Each file is read to tell: all lies on one drive here, so it is told no.",
        ["coverage", CARD, "--top", "2"],
    ),
    (
        "What does the picture program know, and what has it lost track of?",
        ["orphans", "--catalog", "library/lists/stills.csv", "--under", "library/stills", "--top", "3"],
    ),
    (
        "Choose a keeper for each set. The docket is a table; open it in any spreadsheet and change it.",
        ["keep", "-o", "docket.csv"],
    ),
    (
        "Fold the spares away. Each is compared with its keeper, byte for byte, before it moves.",
        ["fold", "docket.csv", "--yes"],
    ),
    (
        "Some copies got a rating or another title since. They are told by the picture and the sound themselves.",
        ["duplicates", "--same", "essence"],
    ),
    (
        "The album was made from the takes: other bytes, but the same sound, sample for sample. Nothing is proposed.",
        ["duplicates", "--same", "decoded"],
    ),
    ("The ledger remembers.", ["ledger"]),
    ("Is every file still what it was when it was read last?", ["fixity"]),
    ("Where could room come from, with the least regret?", ["room", "3MB"]),
    ("Changed your mind? Everything comes back, exactly as it was.", ["unfold", "--last"]),
    (
        "Each version of the editing program left a pile. What can be made again, and what is the last of its kind?",
        ["caches"],
    ),
    ("Which of it does no timeline use?", ["caches", "--what", "render", "--what", "proxy", "--unused"]),
    ("Which projects has nobody touched for long?", ["projects"]),
    (
        "Archive one. It is read back from the disk before it gets its name.",
        ["archive", "library/last year/highlights 2024", "--to", "packages"],
    ),
    ("Years later: is every byte still what it was?", ["archive", "--check", "packages/highlights 2024"]),
    ("And back, exactly as it was.", ["restore", "packages/highlights 2024", "--to", "restored"]),
    ("All of it at once: what is there, and what wants somebody? `remind` has that asked every two weeks.", CHECK_UP),
)
_FOLDERS = ("packages", "restored")


@dataclass(frozen=True, slots=True)
class Tour:
    """Result of the guided example.

    Attributes
    ----------
    statuses
        The exit status of each command line, and the one that it should have.
    files
        Files in the library.
    unchanged
        Whether every file was afterwards what it was before: name, content, mode and time.
    """

    statuses: tuple[tuple[str, int, int], ...]
    files: int
    unchanged: bool

    @property
    def went_well(self) -> bool:
        """Whether each command ended as it should, and nothing is as it was not before."""
        return self.unchanged and all(status == expected for _, status, expected in self.statuses)


def prepare(folder: str | None, begin: Callable[[], object]) -> str:
    """Make the sample library in `folder`, or in a fresh temporary folder, and return where.

    Parameters
    ----------
    begin
        Called when it is known that it can be made there, which takes a while.

    Raises
    ------
    UnusableInput
        If the folder holds something already or cannot be written.
    """
    try:
        if folder is None:
            folder = tempfile.mkdtemp(prefix="kite-days-")
        elif os.path.isdir(folder) and os.listdir(folder):
            raise UnusableInput(f"{visible(folder)} is not empty", "name a new folder, or none")
        begin()
        make_library(folder)
    except OSError as error:
        raise UnusableInput(
            f"cannot make the sample library in {visible(str(folder))}: {reason_of(error)}", "name another folder"
        ) from error
    return folder


def take_tour(folder: str, run: Callable[[list[str]], int], say: Callable[[str, str], None]) -> Tour:
    """Walk through the commands in a prepared folder.

    Parameters
    ----------
    run
        Runs one command line of ``foldkeep`` with the stock ``stock.sqlite3`` and returns its exit status.
    say
        Is told the explanation of each step and the command that a user would type.
    """
    statuses: list[tuple[str, int, int]] = []
    with chdir(folder):
        say("All of this happens here, with a stock of its own:", f"cd {shlex.quote(folder)}")
        say("", f"export FOLDKEEP_STOCK={STOCK}")
        say("", f"mkdir {' '.join(_FOLDERS)}")
        for name in _FOLDERS:
            os.mkdir(name)
        before = dict(listing())
        for words, argv in _STEPS:
            line = shlex.join(["foldkeep", *argv])
            say(words, line)
            statuses.append((line, run(argv), int(CARD in argv or argv[:1] == CHECK_UP)))
        after = dict(listing())
    return Tour(tuple(statuses), len(before), before == after)


def listing() -> Iterator[tuple[str, tuple[bytes, int, int]]]:
    """Yield path, content, mode and time of every file of the library and its backup, in the current folder."""
    for top in ("library", "shelf-drive"):
        for folder, _, names in os.walk(top):
            for path in (os.path.join(folder, name) for name in names):
                facts = os.stat(path)
                # Read so that it does not count as a use, which `caches` asks for.
                with open(open_path(os.fsencode(path), FILE), "rb") as file:
                    yield path, (blake3(file.read()).digest(), facts.st_mode, facts.st_mtime_ns)
