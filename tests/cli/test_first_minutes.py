"""The first five minutes, as somebody follows them: each command ends with the next one, which is pasted."""

import os
import re
import shlex
from pathlib import Path

import pytest

from harness.desks import Desk, listing, on_a_terminal

_ESCAPES = re.compile(r"\x1b\[[0-9;?]*[a-zA-Z]|\r")
_NEXT = re.compile(r"Next: +(foldkeep .*)\n")


@pytest.fixture
def home(sample_desk: Desk) -> Path:
    """The folder of somebody who has a library in it, and nothing else."""
    home = sample_desk.top / "home"
    home.mkdir()
    sample_desk.place.rename(home / "Kite Days")
    return home


def of(home: Path) -> dict[str, str]:
    kept = {name: value for name, value in os.environ.items() if not name.startswith(("XDG_", "FOLDKEEP_", "COLUMNS"))}
    return {**kept, "HOME": str(home), "TERM": "xterm"}


def pasted(line: str, home: Path) -> list[str]:
    """Return the words of a line as a shell reads them."""
    return [word.replace("~", str(home), 1) if word.startswith("~/") else word for word in shlex.split(line)][1:]


@pytest.mark.parametrize("stock", [False, True])
def test_five_minutes_at_a_terminal_take_three_keys_and_no_name(home: Path, stock: bool):
    before = listing(home / "Kite Days")
    where = ["--stock", str(home / "a stock of mine.sqlite3")] if stock else []
    words, taken, keys = ["scan", str(home / "Kite Days"), *where], [], 0
    answers = {
        "review": {"1 of ": "stop"},  # the first set asks; whoever has seen enough stops
        "fold": {"[y/N]": "y"},
    }
    while words:
        keys += len(answers.get(words[0], {}))
        taken.append(words[0])
        shown = _ESCAPES.sub("", on_a_terminal(words, of(home), answers.get(words[0])))
        assert "Traceback" not in shown
        assert all("--stock" in line for line in re.findall(r"^.*foldkeep [a-z]+ \w*.*$", shown, re.M) if stock), shown
        (line,) = _NEXT.findall(shown) or [""]
        words = pasted(line, home)
    assert taken == ["scan", "keep", "review", "fold"]
    assert keys <= 3
    gone = set(before) - set(listing(home / "Kite Days"))
    assert len(gone) == 37  # and an earlier version of a sidecar, whose name stays
    on_a_terminal(["unfold", "--last", *where], of(home))
    assert listing(home / "Kite Days") == before


def test_five_minutes_through_pipes_change_nothing_that_was_not_named(home: Path):
    before = listing(home / "Kite Days")
    desk = Desk(home)
    said = desk.run("scan", home / "Kite Days").out
    assert _NEXT.findall(said) == ["foldkeep keep"]
    assert _NEXT.findall(desk.run("keep").out) == ["foldkeep review d1"]
    # Nobody sits there: what asks changes nothing, and names the option that goes without asking.
    ended = desk.run("review", answer="")
    assert (ended.status, "d1" in ended.out + ended.err) == (0, True)
    refused = desk.run("fold", "d1", answer="")
    assert (refused.status, "--yes" in refused.err) == (2, True)
    assert desk.run("fold", "--yes").status == 2
    assert listing(home / "Kite Days") == before
    done = desk.run("fold", "d1", "--yes")
    assert (done.status, "38 files" in done.out) == (0, True)
    assert desk.run("unfold", "--last").status == 0
    assert listing(home / "Kite Days") == before
