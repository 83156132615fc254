"""What people see while they wait, and how tables and lines fit a page."""

import io
import re
import threading

import pytest
from rich.cells import cell_len

import foldkeep.show.page.progress as progress
from foldkeep.model import Step
from foldkeep.show.page import Column, Page, ProgressBar
from harness.desks import Desk


@pytest.mark.parametrize(
    ("step", "seconds", "words"),
    [
        (Step("Looking into folders", 12_345, None, "files"), 9, "Looking into folders: 12,345 files"),
        (Step("Reading contents", 0, 5_000_000, "bytes"), 9, "Reading contents: 0 B of 5.00 MB"),
        (
            Step("Reading contents", 2_000_000_000, 8_000_000_000, "bytes"),
            10,
            "Reading contents: 2.00 GB of 8.00 GB, 200 MB/s, 0:30 left",
        ),
        (Step("Unfolding", 50, 500, "files"), 20, "Unfolding: 50 of 500 files, 2 files/s, 3:00 left"),
        (Step("Unfolding", 50, 500, "files"), 0.5, "Unfolding: 50 of 500 files"),
    ],
)
def test_a_step_says_how_far_how_fast_and_how_long(step, seconds, words):
    assert progress.describe(step, seconds) == words


@pytest.mark.parametrize(("silent", "shown"), [(False, "Unfolding: 5 of 9 files, 1 files/s, 0:04 left\n"), (True, "")])
def test_progress_speaks_seldom_where_there_is_no_terminal(monkeypatch, silent, shown):
    now = 100.0
    monkeypatch.setattr(progress.time, "monotonic", lambda: now)
    stream = io.StringIO()
    with ProgressBar(stream, terminal=False, color=False, silent=silent) as bar:
        for done in range(7):
            bar(Step("Unfolding", done, 9, "files"))
            now += 1.0
    assert stream.getvalue() == shown


class Slowly(io.StringIO):
    """A stream that tells when something was drawn."""

    def __init__(self) -> None:
        super().__init__()
        self.drawn = threading.Event()

    def flush(self) -> None:
        self.drawn.set()


@pytest.mark.parametrize(
    "step", [None, Step("Comparing", 3_000_000, 9_000_000, "bytes"), Step("写" * 60, 0, None, "files")]
)
def test_a_bar_is_drawn_from_early_on_and_goes_at_the_end(monkeypatch, step):
    monkeypatch.setenv("COLUMNS", "60")
    stream = Slowly()
    with ProgressBar(stream, terminal=True, color=False, silent=False) as bar:
        if step:
            bar(step)
        assert stream.drawn.wait(20), "it is drawn though nothing more is told"
    lines = re.sub(r"\x1b\[[\d;]*m", "", stream.getvalue()).split("\r\x1b[2K")
    assert lines[0] == lines[-1] == "", "nothing of it stays"
    assert all(0 < cell_len(line) < 60 for line in lines[1:-1])
    assert (step.phase[:4] if step else "Working") in lines[1]
    if step and step.total:
        assert "3.00 MB of 9.00 MB" in lines[1]
        assert "━━" in lines[1]


def test_quick_and_quiet_work_draws_nothing():
    for silent in (False, True):
        stream = io.StringIO()
        with ProgressBar(stream, terminal=True, color=True, silent=silent) as bar:
            bar(Step("Unfolding", 1, 9, "files"))
        assert stream.getvalue() == ""


def test_a_page_is_plain_in_a_pipe_and_fits_a_terminal():
    columns, rows = [Column("name"), Column("size", numbers=True)], [("kite " * 30, "5 B"), ("a", "1.00 GB")]
    piped = io.StringIO()
    page = Page(piped, terminal=False, color=True)
    page.table(columns, rows, total=True)
    page.line(("kite " * 30, "bold"), indent=4)
    assert piped.getvalue().splitlines() == [
        f"{'name':150}     size",
        f"{'kite ' * 30}      5 B",
        f"{'a':150}  1.00 GB",
        "    " + "kite " * 30,
    ]
    fitted = io.StringIO()
    page = Page(fitted, terminal=True, color=False, width=60)
    page.table(columns, rows, total=True)
    page.line("kite " * 30, indent=4)
    lines = re.sub(r"\x1b\[[\d;]*m", "", fitted.getvalue()).splitlines()
    assert max(map(len, lines)) <= 60
    assert "".join(lines).count("kite") == 60
    assert all(line.startswith("      kite") for line in lines[-2:])


def test_nothing_found_and_nothing_folded_are_said(desk: Desk):
    assert desk.run("scan", desk.place).out.startswith(f"Scanned {desk.place}: 0 files, 0 B")
    none = "No two files in places of one role have the same content, as far as they were read.\n"
    assert desk.run("duplicates").out == none
    desk.write("kite.jpg")
    shelf = desk.top / "shelf"
    shelf.mkdir()
    (shelf / "kite.jpg").write_bytes((desk.place / "kite.jpg").read_bytes())
    desk.run("scan", shelf, "--role", "backup", "--read-all")
    desk.run("scan", "--read-all")
    assert "1 set has copies in places of different roles" in desk.run("duplicates").out
    assert desk.run("duplicates", "--folders", "--csv", desk.top / "table.csv").status == 2
    (desk.place / "kite.jpg").unlink()
    desk.run("places", "--forget", "shelf")
    desk.run("scan")
    assert desk.run("ledger").out == "Nothing has been folded yet.\n"
    assert "No copies were found" in desk.run("keep", "-o", desk.docket).out
    assert desk.run("fold", desk.docket).out == "The docket proposes to fold nothing.\n"
    assert desk.run("duplicates", "--quiet").out == desk.run("duplicates").out, "quiet never silences the answer"
