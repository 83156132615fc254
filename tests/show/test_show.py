"""What people see while they wait, and how tables and lines fit a page."""

import io
import re
import threading

import pytest
from hypothesis import given
from hypothesis import strategies as st
from rich.cells import cell_len

import foldkeep.show.page.progress as progress
from foldkeep.model import Step
from foldkeep.show.page import Column, Page, ProgressBar
from harness.desks import Desk


@pytest.mark.parametrize(
    ("total", "unit", "done", "words"),
    [
        (None, "files", [(0, 0), (9, 12_345)], "12,345 files"),
        (None, "files", [(0, 0), (65, 0)], "1:05"),
        (5_000_000, "bytes", [(0, 0), (9, 0)], "0 B of 5.00 MB"),
        (8 * 10**9, "bytes", [(0, 0), (10, 2 * 10**9)], "2.00 GB of 8.00 GB, 200 MB/s, less than a minute left"),
        (500, "files", [(0, 0), (10, 40), (20, 50)], "50 of 500 files, 2 files/s, about 3 min left"),
        (500, "files", [(0, 0), (0.5, 50)], "50 of 500 files"),
        # Of the first moments nobody can tell the end, nor of what has come to a stop.
        (5000, "files", [(0, 0), (2, 20)], "20 of 5,000 files, 10 files/s"),
        (5000, "files", [(0, 0), (4, 20)], "20 of 5,000 files, 5 files/s"),
        (500, "files", [(0, 0), (1, 100), (2, 200), (9, 200)], "200 of 500 files"),
        # The latest pace counts, not that of the first minute.
        (9000, "files", [(t, t * 100) for t in range(60)] + [(60 + t, 6000 + t) for t in range(60)],
         "6,059 of 9,000 files, 1 files/s, about 49 min left"),
        # A phase that begins again is another one.
        (100, "files", [(0, 0), (5, 90), (6, 10)], "10 of 100 files"),
    ],
)  # fmt: skip
def test_a_step_says_how_far_how_fast_and_how_long(total, unit, done, words):
    pace = progress.Pace()
    for seconds, number in done:
        pace.note(Step("Reading", number, total, unit), 100.0 + seconds)
    assert ", ".join(progress.amounts(Step("Reading", done[-1][1], total, unit), pace)) == words


def test_of_millions_of_steps_few_are_remembered():
    pace = progress.Pace()
    for number in range(200_000):
        pace.note(Step("Reading", number, 10**6, "files"), 100 + number / 10_000)
    assert len(pace._marks) < 300
    assert round(pace.rate() or 0, -3) == 10_000


@given(st.integers(1, 120), st.integers(0, 10**12), st.text(st.sampled_from("Reading 写"), min_size=1, max_size=40))
def test_progress_is_never_cut_within_its_figures(width, done, phase):
    from rich.console import Console

    pace, step = progress.Pace(), Step(phase, done, 2 * 10**12, "bytes")
    pace.note(Step(phase, 0, 2 * 10**12, "bytes"), 100)
    pace.note(step, 200)
    line = re.sub(r"\x1b\[[0-9;]*m", "", progress._line(Console(file=io.StringIO(), width=width), step, pace))
    figures = progress.amounts(step, pace)[0]
    assert figures in line
    assert cell_len(line) < max(width, len(figures) + 4)


@pytest.mark.parametrize(
    ("silent", "shown"), [(False, "Unfolding: 5 of 9 files, 1 files/s, less than 10 s left\n"), (True, "")]
)
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
