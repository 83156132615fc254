"""The sheet in a real browser: looked at, searched, decided on, saved, and carried out."""

import contextlib
import csv
import json
import os
import shutil
import signal
import sqlite3
import subprocess
import time
from collections import Counter
from pathlib import Path

import psutil
import pytest
from PIL import Image

from foldkeep.keep import write_docket
from foldkeep.model import Action, DocketRow
from harness.browsers import Sheet
from harness.desks import PROGRAM, Desk


def test_look_decide_save_and_fold(sample_desk: Desk, browser, downloads: Path):
    from selenium.webdriver.common.keys import Keys

    desk = sample_desk
    desk.run("scan", desk.place)
    desk.run("keep", "-o", desk.docket)
    page = desk.top / "sheet.html"
    made = desk.ask("sheet", desk.docket, "-o", page, "--png", desk.top / "first.png")
    assert (made["sets"], made["bytes"]) == (27, page.stat().st_size)
    with Image.open(desk.top / "first.png") as picture:
        assert picture.width == 1280
    sheet = Sheet(browser, page)
    assert "in all 27 sets, 36 to fold, 3.70 MB" in sheet.ask("document.getElementById('totals').innerText")
    assert "video, 2 × 646 kB" in sheet.ask("document.body.innerText")
    assert "of different content" not in sheet.ask("document.body.innerText")
    assert sheet.ask("sets.every(set => set.picture)")
    assert sheet.ask("[...document.querySelectorAll('.look img')].every(img => img.complete && img.naturalWidth > 100)")
    sheet.choose("kind", "audio")
    first, second = sheet.rows()
    assert "01 March of the Box Kites.mp3" in first
    assert "07 Opening Music.mp3" in second
    sheet.choose("kind", "")
    sheet.choose("search", "poster print")
    assert len(sheet.rows()) == 4
    sheet.press("k", Keys.ARROW_DOWN, Keys.ARROW_DOWN, "k", Keys.ARROW_UP, "f")
    assert [copy["action"] for copy in sheet.ask("shown[0].copies")] == ["fold", "keep", "fold", "fold"]
    assert not sheet.ask("document.querySelector('.nothing')")
    sheet.press("l", Keys.ARROW_DOWN, "f", Keys.ENTER)
    assert sheet.ask("document.getElementById('view').open")
    assert sheet.ask("document.querySelector('#large img').src").startswith("file:///")
    sheet.press(Keys.ESCAPE)
    sheet.press("f", Keys.ARROW_UP, "f")
    assert "1 set would keep nothing: fold will refuse that" in sheet.ask("document.getElementById('totals').innerText")
    sheet.press("k")
    sheet.choose("search", "")
    day = str(desk.place / "stills/camera-a/day-2")
    sheet.choose("folder", day)
    assert len(sheet.ask("shown")) == 8
    give = "[...document.querySelectorAll('.row')].find(row => row.innerText.includes('day-2')).querySelector('.give')"
    sheet.ask(f"{give}.click()")
    assert "8 copies given up" in sheet.ask("document.getElementById('state').textContent")
    chosen = {copy["path"]: copy["action"] for found in sheet.ask("sets") for copy in found["copies"]}
    docket = sheet.saved(downloads)
    assert not [line for line in browser.get_log("browser") if line["level"] == "SEVERE"]
    ours, theirs = cells(docket), cells(desk.docket)
    same = ("set", "path", "size", "kind", "modified", "digest", "uri")
    assert [[row[name] for name in same] for row in ours] == [[row[name] for name in same] for row in theirs]
    answer = desk.ask("fold", docket, "--yes")
    assert (answer["folded"] - answer["along"], answer["left"]) == (Counter(chosen.values())["fold"], [])
    assert {path for path, action in chosen.items() if action == "fold"} == {
        path for path in chosen if not os.path.lexists(path)
    }
    assert not Path(day).exists()


def test_no_reason_is_cut_off_at_any_width_and_differing_files_have_their_pictures(sample_desk: Desk, browser):
    from selenium.webdriver.support.wait import WebDriverWait

    desk = sample_desk
    desk.run("scan", desk.place)
    desk.run("keep", "-o", desk.docket)
    rows = cells(desk.docket)
    for number, row in enumerate(rows):
        row["reason"] = ("it was decided by a word_without_any_end_" * 3 + " and so on ") * (number % 4) + row["reason"]
    with desk.docket.open("w", newline="") as stream:
        writer = csv.DictWriter(stream, rows[0])
        writer.writeheader()
        writer.writerows(rows)
    desk.ask("alike", "--kind", "photo", "-o", desk.top / "alike.csv")
    cut = """[...document.querySelectorAll('.reason')].filter(each => each.scrollHeight > each.clientHeight + 1
        || each.getBoundingClientRect().bottom > each.closest('.row').getBoundingClientRect().bottom + 1).length"""
    for docket, pictures in ((desk.docket, False), (desk.top / "alike.csv", True)):
        page = Path(desk.ask("sheet", docket, "-o", f"{docket}.html")["sheet"])
        for width in (1280, 700, 1800):
            browser.set_window_size(width, 900)
            sheet = Sheet(browser, page)
            assert sheet.ask("document.querySelectorAll('.reason').length") > 6
            assert sheet.ask(cut) == 0
            own = "document.querySelectorAll('.row').length === document.querySelectorAll('.row .own').length"
            assert sheet.ask(own) == pictures
            browser.set_window_size(width - 150, 900)  # of the open page, too
            WebDriverWait(browser, 10).until(lambda _: sheet.ask(cut) == 0)  # noqa: B023
    browser.set_window_size(1280, 800)


def cells(docket: Path) -> list[dict[str, str]]:
    with docket.open(newline="") as stream:
        return list(csv.DictReader(stream))


ODD = (b"<img src=x onerror=document.title='gone'>.jpg", b"<!--<script>document.title='gone'.jpg",
       b"\x1b[31m\xe2\x80\xaegnp.\xff.jpg", b"=1+2 \"quoted\", <!-- .jpg", b"&amp;\n.jpg")  # fmt: skip


def test_names_are_text_and_come_back_exactly(desk: Desk, browser, downloads: Path):
    for name in ODD:
        for folder in (b"one", b"two"):
            desk.write(folder + b"/" + name, name * 3)
    desk.proposed()
    page = desk.top / "odd sheet.html"
    desk.run("sheet", desk.docket, "-o", page)
    sheet = Sheet(browser, page)
    assert browser.title == "Sheet: Fold Keep: a sheet to decide on"
    assert "<img src=x onerror=" in " ".join(sheet.rows())
    assert not sheet.ask("document.querySelector('[onerror], main script')")
    assert "\u202e" not in sheet.ask("document.body.innerText")
    answer = desk.ask("fold", sheet.saved(downloads), "--yes")
    assert (answer["folded"], answer["left"]) == (len(ODD), [])


def test_pictures_are_made_once_and_a_sheet_needs_no_docket(desk: Desk, sample: Path, monkeypatch):
    for name in ("a.jpg", "b.jpg"):
        shutil.copy(sample / "library/stills/camera-a/day-1/WKD_0001.jpg", desk.place / name)
    for name in ("c.wav", "d.wav"):
        shutil.copy(sample / "library/music/recordings/take-1.wav", desk.place / name)
    desk.run("scan", desk.place)
    first = desk.ask("sheet", "-o", desk.top / "sheet.html", "--kind", "photo", "--kind", "audio")
    assert first["sets"] == 2
    monkeypatch.setattr("foldkeep.signals.media_worker.Apart.picture", lambda *_: pytest.fail("it was drawn before"))
    monkeypatch.setattr("foldkeep.signals.media_worker.Apart.facts", lambda *_: pytest.fail("it was read before"))
    again = desk.ask("sheet", "-o", desk.top / "sheet.html", "--kind", "photo", "--kind", "audio")
    assert again["sheet"] == str(desk.top / "sheet-2.html")
    assert (desk.top / "sheet.html").read_bytes() == (desk.top / "sheet-2.html").read_bytes().replace(
        b"sheet-2-docket", b"sheet-docket")  # fmt: skip
    refused = desk.run("sheet", desk.docket, "--kind", "photo")
    assert (refused.status, "leave the filters or the docket out" in refused.err) == (2, True)
    assert desk.run("sheet", "-o", desk.top / "none/sheet.html", "--kind", "video").status == 2


def rows_of_many(desk: Desk, count: int, picture: bytes) -> None:
    """Fill the stock and the pictures beside it with sets whose pictures differ, and write their docket."""
    rows = []
    for number in range(count):
        for side, action in (("keep", Action.KEEP), ("spare", Action.FOLD)):
            path = os.fsencode(desk.place / side / f"shoot {number // 200}" / f"WKD_{number:05}.jpg")
            digest = number.to_bytes(32, "big")
            rows.append(DocketRow(f"s{number:016x}", action, path, 5_000_000 + number, "photo", 10**18 + number, digest,
                                  "its folder stays together: oldest"))  # fmt: skip
    write_docket(str(desk.docket), rows)
    with contextlib.closing(sqlite3.connect(f"{desk.stock}.pictures")) as pictures, pictures:
        pictures.executemany(
            "INSERT INTO pictures VALUES (?, 1, ?)",
            ((number.to_bytes(32, "big"), picture + number.to_bytes(4, "big")) for number in range(count)),
        )


@pytest.mark.more
def test_thousands_of_sets_stay_quick(sample: Path, tmp_path: Path, browser):
    desk = Desk(tmp_path)
    shutil.copy(sample / "library/stills/camera-a/day-1/WKD_0001.jpg", desk.place / "a.jpg")
    shutil.copy(desk.place / "a.jpg", desk.place / "b.jpg")
    desk.proposed()
    desk.run("sheet", desk.docket, "-o", desk.top / "one.html")
    with contextlib.closing(sqlite3.connect(f"{desk.stock}.pictures")) as pictures:
        ((picture,),) = pictures.execute("SELECT jpeg FROM pictures").fetchall()
    desk.docket.unlink()
    rows_of_many(desk, 5000, picture)
    page = desk.top / "many.html"
    answer = desk.ask("sheet", desk.docket, "-o", page)
    assert answer["sets"] == 5000
    sheet = Sheet(browser, page)
    assert sheet.ask("sets.length") == 5000
    assert sheet.ask("document.querySelectorAll('.set').length") < 40
    opened = sheet.ask("performance.getEntriesByType('navigation')[0].loadEventEnd")
    filtered = sheet.ask("(() => { const t = performance.now(); document.getElementById('search').value = '0499';"
                         " choose(); return performance.now() - t; })()")  # fmt: skip
    print(json.dumps({"MB": answer["bytes"] / 1e6, "opened ms": opened, "filtered ms": filtered}))
    assert len(sheet.ask("shown.map(set => set.id)")) == 10 + 1
    sheet.choose("search", "")
    browser.execute_script("window.scrollTo(0, document.body.scrollHeight)")
    time.sleep(0.2)
    assert sheet.ask("[...document.querySelectorAll('.set')].pop().dataset.id") == f"s{4999:016x}"


@pytest.mark.more
def test_an_interrupted_sheet_leaves_no_page_and_no_helper(desk: Desk, sample: Path):
    body = (sample / "library/stills/camera-a/day-1/WKD_0001.jpg").read_bytes()
    for number in range(400):
        for side in "ab":
            desk.write(f"{side}/{number}.jpg", body + b"%d" % number)
    desk.run("scan", desk.place)
    page = desk.top / "sheet.html"
    line = [*PROGRAM, "sheet", "-o", page, "--stock", desk.stock]
    process = subprocess.Popen(line, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True)
    helpers: list[psutil.Process] = []
    while len(helpers) < 2:
        helpers = psutil.Process(process.pid).children()
    process.send_signal(signal.SIGINT)
    out, err = process.communicate(timeout=20)
    assert (process.returncode, out) == (130, "")
    assert "interrupted; what was done so far is kept" in err
    assert not page.exists()
    assert psutil.wait_procs(helpers, timeout=10)[1] == []
