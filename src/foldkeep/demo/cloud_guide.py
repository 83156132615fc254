"""The guided example with a cloud: the desk's library, and a cloud on this machine that has half of it as well."""

import os
import shlex
import shutil
from collections.abc import Callable, Iterator
from contextlib import chdir, contextmanager
from pathlib import Path

from .cloud import Cloud, CloudOptions, Fault, Faults
from .guide import CARD, STOCK, Tour, listing

_BIN = "bin"
_FIRST = 100_000
_SHARED = "shared by the stage crew"
_STEPS: tuple[tuple[str, tuple[str, ...], int], ...] = (
    ("Look at the folder that the desk works in.", ("scan", "library"), 0),
    ("And at the cloud, where half of it lies as well: only what may have a copy is fetched.", ("scan", "{url}"), 0),
    ("Both are places now.", ("places",), 0),
    (
        "What is there more than once? A program may keep both sides alike, so they count as one copy until you say.",
        ("duplicates", "--top", "2"),
        0,
    ),
    (
        "Nothing keeps them alike here: copies on both sides are two files.",
        ("places", "--separate", "library", "{label}"),
        0,
    ),
    ("Now copies are found across both.", ("duplicates", "--top", "3"), 0),
    ("How full is the cloud? Its quota says so.", ("space",), 0),
    (
        "Keep the desk's copies, and give up those in the cloud.",
        ("keep", "-o", "cloud.csv", "--prefer", "place:library", "--kind", "photo", "--place", "{label}"),
        0,
    ),
    (
        "Fold them away, there: each is read on both sides first, and moved by the server itself.",
        ("fold", "cloud.csv", "--yes"),
        0,
    ),
    ("What waits in the cloud's fold, read again.", ("ledger", "--verify"), 0),
    ("Changed your mind? Everything comes back.", ("unfold", "--last"), 0),
    ("Fold them again. Release them for good?", ("fold", "cloud.csv", "--yes"), 0),
    (
        "Not yet: a week lies between, in which a program that keeps both alike after all would show.",
        ("release", "--last", "--yes"),
        1,
    ),
    ("The cloud has a bin, which counts against the quota.", ("space",), 0),
    ("On the cloud's own pages, its owner empties the bin. Is the space free now?", (_BIN,), 0),
    ("", ("scan", "{url}"), 0),
    ("", ("space",), 0),
    (
        "This cloud runs on the same machine. Say that its disk is another one, as a real cloud's would be.",
        ("places", "{label}", "--disk", "the cloud's"),
        0,
    ),
    (
        "May this card be formatted? A copy in the cloud would do, once it is read from there.",
        ("coverage", CARD, "--top", "2"),
        1,
    ),
    (
        "Copy there what is missing: each file is read back from the cloud before it gets its name.",
        ("coverage", CARD, "-o", "missing.csv", "--top", "0"),
        1,
    ),
    ("", ("fold", "missing.csv", "--yes", "--method", "copy", "--to", "{url}", "--below", "library"), 0),
    ("And now?", ("coverage", CARD), 0),
    ("Bring back what waits in the cloud's fold.", ("unfold", "2"), 0),
)


@contextmanager
def cloud_beside(folder: str, latency: float = 0.0, fail_every: int = 0) -> Iterator[Cloud]:
    """Run a cloud that has a part of the library in a folder, with a quota, something in its bin, and a shared folder.

    Parameters
    ----------
    latency
        Seconds before each answer.
    fail_every
        Let one of so many requests fail, in one way after the other; none if 0.
    """
    top, library = Path(folder) / "cloud", Path(folder) / "library"
    files, thrown = top / "files", top / "bin"
    for here, there in (("stills/camera-a", "stills"), ("music/album", "music"), ("imported", "phone")):
        shutil.copytree(library / here, files / there)
    shutil.copytree(library / "stills/camera-a/day-1", files / "phone/again")
    shutil.copytree(library / "video/stage", files / _SHARED)
    thrown.mkdir()
    used = sum(path.stat().st_size for path in files.rglob("*") if path.is_file())
    faults = Faults(_plan(fail_every), latency, retry_after="1")
    with Cloud(str(top), CloudOptions(quota=used * 2, shared=_SHARED, faults=faults)) as cloud:
        old = files / "old export.jpg"
        shutil.copy(next(path for path in (library / "print").rglob("*") if path.is_file()), old)
        cloud.account.throw_away(str(old))
        yield cloud


def _plan(fail_every: int) -> dict[int, Fault]:
    """Return which of the first requests fail, and how."""
    if not fail_every:
        return {}
    words = [fault for fault in Fault if fault is not Fault.LATE]
    return {number: words[number // fail_every % len(words)] for number in range(fail_every, _FIRST, fail_every)}


def take_cloud_tour(
    folder: str, cloud: Cloud, run: Callable[[list[str]], int], say: Callable[[str, str], None]
) -> Tour:
    """Walk through the commands in a prepared folder with a cloud beside it.

    Parameters are those of `take_tour`.
    """
    statuses: list[tuple[str, int, int]] = []
    at = {"{url}": cloud.url, "{label}": cloud.url.removeprefix("http://").partition(":")[0]}
    with chdir(folder):
        say("All of this happens here, with a stock of its own:", f"cd {shlex.quote(folder)}")
        say("", f"export FOLDKEEP_STOCK={STOCK}")
        say(
            "A cloud runs beside it, on this machine alone:", f"# {cloud.url}, files in {os.path.join(folder, 'cloud')}"
        )
        before = dict(listing())
        for words, argv, expected in _STEPS:
            if argv == (_BIN,):
                say(words, "# emptied")
                cloud.account.empty_bin()
                continue
            line = ["foldkeep", *(at.get(word, word) for word in argv)]
            say(words, shlex.join(line))
            statuses.append((shlex.join(line), run(line[1:]), expected))
        after = dict(listing())
    return Tour(tuple(statuses), len(before), before == after)
