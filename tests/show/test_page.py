"""The page: whatever is written fits the terminal, and breaks where a reader would break it."""

import io
import itertools
import re

from hypothesis import given
from hypothesis import strategies as st
from rich.cells import cell_len

from foldkeep.show.page import Column, Page
from foldkeep.show.page.wrapping import breaks, wrapped

texts = st.text(st.sampled_from("ab.-/ 写é"), max_size=60).map(lambda text: text.strip())
names = st.text(st.sampled_from("kite-_.Q写"), min_size=1, max_size=12)
paths = st.lists(names, min_size=1, max_size=6).map(lambda steps: "/" + "/".join(steps))


def seen(stream: io.StringIO) -> list[str]:
    return [line.rstrip() for line in re.sub(r"\x1b\[[0-9;]*m", "", stream.getvalue()).split("\n")]


def squeezed(text: str) -> str:
    return re.sub(r"\s+", "", text)


@given(texts, st.integers(4, 40), st.integers(4, 40))
def test_lines_fit_and_lose_nothing(text: str, first: int, rest: int):
    edges = [0, *breaks(text, first, rest), len(text)]
    lines = [text[start:end].rstrip() for start, end in itertools.pairwise(edges)]
    assert squeezed("".join(lines)) == squeezed(text)
    assert all(cell_len(line) <= (rest if number else first) for number, line in enumerate(lines))


@given(paths, st.integers(14, 60))
def test_paths_break_behind_their_steps(path: str, width: int):
    lines = wrapped(path, width)
    longest = max(map(cell_len, path.split("/")))
    if longest + 2 <= width:
        assert all(line.endswith("/") for line in lines[:-1])
    assert "".join(lines) == path


@given(
    st.lists(st.tuples(names, st.integers(0, 10**9).map(str), paths, texts), min_size=1, max_size=5),
    st.integers(20, 120),
    st.booleans(),
)
def test_tables_fit_any_terminal_and_keep_every_cell(rows: list[tuple[str, ...]], width: int, total: bool):
    columns = [Column("name", style="bold"), Column("files", numbers=True), Column("path"), Column("bar", spare=1)]
    stream = io.StringIO()
    Page(stream, terminal=True, color=False, width=width).table(columns, rows, total=total)
    lines = seen(stream)
    assert max(map(cell_len, lines)) <= width
    shown = squeezed("".join(lines))
    for name, number, path, bar in rows:
        assert number in shown
        if "写" not in name + path + bar and width >= 80:
            assert name in shown
    plain = io.StringIO()
    Page(plain, terminal=False, color=False).table(columns, rows)
    assert plain.getvalue().count("\n") == len(rows) + 1


def test_a_narrow_terminal_gets_a_record_for_each_row():
    stream = io.StringIO()
    page = Page(stream, terminal=True, color=False, width=26)
    page.line("2 places.")
    rows = [("stills", "1,204", "/media/shelf drive/day 1"), ("films", "9", "/v")]
    page.table([Column("label"), Column("files", numbers=True), Column("where"), Column("role")], [
        (*row, "working") for row in rows
    ])  # fmt: skip
    assert seen(stream) == [
        "2 places.", "", "label  stills", "files  1,204", "where  /media/shelf drive/", "       day 1",
        "role   working", "", "label  films", "files  9", "where  /v", "role   working", "",
    ]  # fmt: skip


def test_a_terminal_shows_paths_short_and_a_pipe_whole():
    below = [b"/home/ada/kite days/stills/a.jpg", b"/home/ada/kite days/video/b.mp4"]

    def written(terminal: bool, paths: list[bytes]) -> list[str]:
        stream = io.StringIO()
        page = Page(stream, terminal=terminal, color=False, width=60, home="/home/ada/")
        page.line("/home/ada, (/home/ada/x), '/home/ada/y', /media/home/ada/z, /home/adams")
        with page.below(paths):
            for path in paths:
                page.line(page.path(path), indent=2)
        page.table(
            [Column("size", numbers=True), Column("where", path=True)], [("1", "/home/ada/" + "deep/" * 12 + "k.jpg")]
        )
        return seen(stream)

    ahead = "~, (~/x), '/home/ada/y', /media/home/ada/z, /home/adams"
    row = "   1  ~/…/" + "deep/" * 9 + "k.jpg"
    shown = written(True, below)
    assert shown[:4] == [ahead, "All below ~/kite days:", "  stills/a.jpg", "  video/b.mp4"]
    assert shown[-2] == row
    # Nothing is said once of what has nothing in common, is one, or lies on a server.
    for paths in ([below[0]], [below[0], b"/media/c"], [below[0], b"https://server/a/b", b"https://server/a/c"]):
        assert not any("All below" in line for line in written(True, paths))
    assert "All but addresses below ~/kite days:" in written(True, [*below, b"https://server/a/b"])
    assert written(False, below)[1:3] == ["  " + path.decode() for path in below]
    assert written(False, below)[-2].endswith("deep/k.jpg")
    assert "…" not in written(False, below)[-2]


def test_a_narrow_terminal_leaves_out_columns_the_least_wanted_first():
    columns = [
        Column("label"),
        Column("files", numbers=True, spare=1),
        Column("scanned", spare=2),
        Column("p", path=True),
    ]
    row = ("shelf", "1,204", "2026-12-02 07:30", "/media/shelf drive/day 1")
    for width, titles in ((80, "label  files  scanned           p"), (50, "label  files  p"), (32, "label  p")):
        stream = io.StringIO()
        Page(stream, terminal=True, color=False, width=width).table(columns, [row])
        assert seen(stream)[0] == titles
