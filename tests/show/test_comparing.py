"""The comparing view of a sheet in a real browser: what is alike lies on what it is alike, to the pixel."""

import io
import time
from pathlib import Path

import numpy as np
import pytest
from PIL import Image, ImageOps

from foldkeep.demo.pictures import draw_kites
from foldkeep.demo.sounds import RATE, encoded, film, proxy, tune, wav
from harness.browsers import Sheet
from harness.desks import Desk, edit

NOTES = [0, 4, 7, 5, 2, 9, 4, 7, 0, 2, 5, 7, 11, 4, 2, 0, -3, 2, 7, 9, 5, 4, 0, 12, 7, 4, 9, 2, 5, 0, 7, 2]


def saved(image: Image.Image, quality: int) -> bytes:
    stream = io.BytesIO()
    image.convert("RGB").save(stream, "JPEG", quality=quality)
    return stream.getvalue()


@pytest.fixture(scope="module")
def page(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A sheet of a picture with a smaller, a cropped and a turned version, a sound, and a film with a proxy."""
    desk = Desk(tmp_path_factory.mktemp("compared"))
    for number, seed in enumerate((3, 11, 42, 5, 8)):
        picture = draw_kites(seed, (960, 640))
        desk.write(f"{number}.jpg", saved(picture, 92))
        other = [
            picture.resize((480, 320)), picture.crop((96, 64, 960, 640)),
            ImageOps.mirror(picture).transpose(Image.Transpose.ROTATE_90),
            ImageOps.expand(picture, (30, 90, 60, 20), "white"),
            ImageOps.expand(picture, (20, 80, 50, 10), "white").transpose(Image.Transpose.ROTATE_270),
        ][number]  # fmt: skip
        desk.write(f"{number} version.jpg", saved(other, 85))
    samples = tune(NOTES)
    desk.write("march.wav", wav(samples))
    desk.write("late.flac", encoded(np.concatenate([np.zeros(2 * RATE, "<i2"), samples]), "flac", {}))
    desk.write("stage.mp4", film(502, 5.0))
    desk.write("stage.mov", proxy(film(502, 5.0)))
    desk.ask("scan", desk.place)
    desk.ask("alike", "-o", desk.docket)
    edit(desk.docket, lambda row: {**row, "action": "keep" if row["path"].endswith(("march.wav",)) else row["action"]})
    desk.ask("sheet", desk.docket, "-o", desk.top / "sheet.html")
    return desk.top / "sheet.html"


@pytest.fixture
def compared(page: Path, browser) -> Sheet:
    return Sheet(browser, page)


def opened(sheet: Sheet, name: str) -> None:
    """Open the comparing view of the set that has a file of a name, and wait for its pictures."""
    found = f"sets.find(set => set.copies.some(copy => copy.name === '{name}'))"
    sheet.run(f"if ($('compare').open) $('compare').close(); openCompare({found});")
    settle(sheet)


def settle(sheet: Sheet) -> None:
    until = time.monotonic() + 10
    while time.monotonic() < until:
        laid = "[...document.querySelectorAll('#panes .world')].every(world => world.style.transform)"
        if sheet.ask(f"[...document.querySelectorAll('#panes img')].every(image => image.complete) && {laid}"):
            time.sleep(0.2)  # the originals take the place of what is embedded
            return
        time.sleep(0.05)


def shades(sheet: Sheet) -> np.ndarray:
    """Return what the picture on which the other lies shows on the screen, as shades of grey."""
    world = sheet.browser.find_elements("css selector", "#panes .stage")[0]
    box = sheet.ask(
        "(w => [w.left, w.top, w.right, w.bottom])(document.querySelector('#panes .world').getBoundingClientRect())"
    )
    stage = sheet.ask("(w => [w.left, w.top])(document.querySelector('#panes .stage').getBoundingClientRect())")
    picture = np.asarray(Image.open(io.BytesIO(world.screenshot_as_png)).convert("L"), float)
    left, top, right, bottom = (round(edge - stage[at % 2]) for at, edge in enumerate(box))
    return picture[top + 4 : bottom - 4, left + 4 : right - 4]


@pytest.mark.parametrize("name", [f"{number} version.jpg" for number in range(5)])
def test_pictures_lie_on_one_another(compared: Sheet, name):
    opened(compared, name)
    compared.press("d")
    settle(compared)
    found = shades(compared)
    if name == "1 version.jpg":  # of a crop, only what it shows is dark, and its frame is drawn
        frame = compared.ask("document.querySelector('.edge').style.left")
        assert 9 <= float(frame.rstrip("%")) <= 11
        found = found[found.shape[0] // 8 :, found.shape[1] // 8 :]
    if name in ("3 version.jpg", "4 version.jpg"):  # the border of the one lies on nothing
        height, width = found.shape
        found = found[height // 5 : -height // 5, width // 5 : -width // 5]
    assert found.mean() < 6, "their difference is nearly black"
    compared.press("b")
    settle(compared)
    visible = "[...document.querySelectorAll('#panes img')].map(image => image.style.visibility)"
    before = compared.ask(visible)
    compared.press("b")
    assert sorted(compared.ask(visible)) == sorted(before) == ["", "hidden"]
    assert compared.ask(visible) != before
    compared.press("s", "+", "+")
    settle(compared)
    first, second = compared.ask("[...document.querySelectorAll('#panes .world')].map(w => w.style.transform)")
    assert first == second, "both are zoomed as one"
    assert "scale(1.96)" in first
    assert not [line for line in compared.browser.get_log("browser") if line["level"] == "SEVERE"]


def test_sounds_are_heard_at_one_moment_and_films_seen(compared: Sheet, downloads: Path):
    opened(compared, "march.wav")
    assert "the second begins 2.0 s before the first" in compared.ask("$('told').innerText")
    compared.run("seek(4);")
    assert [round(at) for at in compared.ask("players.map(player => player.currentTime)")] in ([4, 6], [0, 0])
    compared.press("x")
    assert "you hear the second" in compared.ask("$('told').innerText")
    ink = compared.ask(
        "(c => { const d = c.getContext('2d').getImageData(0, 0, c.width, c.height).data; let n = 0;"
        " for (let i = 3; i < d.length; i += 4) n += d[i] > 0; return n; })($('waves'))"
    )
    assert ink > 10_000, "both waves are drawn"
    opened(compared, "stage.mov")
    moments = compared.ask("[...$('moments').children].map(button => button.innerText)")
    assert len(moments) == len(set(moments)) == 6
    compared.press("d", "\ue014")
    settle(compared)
    assert compared.ask("compared.moment") == 1
    assert shades(compared).mean() < 12
    compared.press("s")
    compared.run("document.querySelector('#panes .under [data-act=fold]').click();")
    assert compared.ask("compared.set.copies.map(copy => copy.action)") == ["fold", "leave"]
    compared.press("\ue00c")
    assert not compared.ask("$('compare').open")
    docket = compared.saved(downloads)
    assert [line.split(",")[1] for line in docket.read_text().splitlines() if "stage.mp4" in line] == ["fold"]
