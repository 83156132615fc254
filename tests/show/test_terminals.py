"""What a terminal gets: no escapes where it understands none, rules that its locale has, names that stay whole."""

import io
import os
import re

from foldkeep.show.page import Page
from foldkeep.show.page.tables import Column
from foldkeep.show.page.wrapping import isolated, wrapped
from harness.desks import Desk, on_a_terminal


def test_a_dumb_terminal_gets_no_escapes_and_no_progress_is_drawn_where_none_is_wanted(desk: Desk):
    desk.write("kite.jpg", b"k" * 90)
    desk.write("old/kite.jpg", b"k" * 90)
    home = {**os.environ, "FOLDKEEP_STOCK": str(desk.stock), "HOME": str(desk.top)}
    assert "\x1b" not in on_a_terminal(["scan", str(desk.place)], {**home, "TERM": "dumb"})
    assert "\x1b" not in on_a_terminal(["duplicates"], {**home, "TERM": "dumb"})
    assert "\x1b[" in on_a_terminal(["duplicates"], {**home, "TERM": "xterm"})
    assert "Comparing" not in on_a_terminal(["duplicates", "--no-progress"], {**home, "TERM": "xterm"})


def test_rules_are_dashes_where_the_locale_has_no_lines():
    for encoding, dash in (("ascii", "-"), ("utf-8", "─")):
        raw = io.BytesIO()
        page = Page(io.TextIOWrapper(raw, encoding, write_through=True), terminal=True, color=False, width=60)
        page.table([Column("name"), Column("size", True)], [("kite.jpg", "9 B")])
        page.rule("photo", "1 of 2")
        shown = re.sub(r"\x1b\[[\d;]*m", "", raw.getvalue().decode(encoding))
        assert dash * 13 in shown
        assert ("─" in shown) is (dash == "─")


def test_names_from_the_right_stand_apart_and_joined_characters_stay_whole():
    assert isolated("in /kites/שלום עולם.jpg, 9 B") == "in /kites/\u2068שלום עולם\u2069.jpg, 9 B"
    assert isolated("/kites/é/2.jpg") == "/kites/é/2.jpg"
    family, flag = "👨\u200d👩\u200d👧", "e\u0301"
    for width in range(4, 30):
        lines = wrapped((family + flag) * 8, width)
        assert "".join(lines) == (family + flag) * 8
        assert not any(line[0] in "\u200d\u0301" or line.endswith("\u200d") for line in lines), width
