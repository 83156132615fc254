"""Files that can be made again: only by evidence, only while their source is there."""

import os
from pathlib import Path

import pytest

from conftest import Desk
from foldkeep.formats import general_recipes

# For each general recipe: a file that it takes, and what that is made from.
EXAMPLES = {
    "proxies": ("edit/proxies/day 1/STG_0001_Proxy.mov", "edit/STG_0001.mp4"),
    "intermediates": ("edit/Transcodes/DRN_0002.mov", "edit/DRN_0002.mp4"),
    "waveforms": ("music/march.wav.peak", "music/march.wav"),
    "previews of pictures": ("stills/thumbs/WKD_0001.png", "stills/WKD_0001.jpg"),
    "indexes": ("edit/media index/DRN_0002.bin", "edit/DRN_0002.mp4"),
    "preview renders": ("edit/Render Files/v2/000123.mov", "edit/highlights.otio"),
    "frame caches": ("edit/cache/v12.1/frame 7.dat", "edit/highlights.otio"),
    "logs": ("edit/logs/export.log", "edit/highlights.otio"),
}


@pytest.mark.parametrize("recipe", [recipe.name for recipe in general_recipes()])
def test_without_its_source_nothing_is_proposed(desk: Desk, recipe: str):
    made, source = EXAMPLES[recipe]
    desk.write(made, b"made " * 10)
    desk.write(source, b"the original")
    desk.write("elsewhere/" + os.path.basename(source), b"another of that name, in no project")
    desk.ask("scan", desk.place)
    found = desk.ask("caches")
    (each,) = found["regenerable"]
    assert (each["path"], each["source"]["path"]) == (str(desk.place / made), str(desk.place / source))
    assert (each["evidence"], found["source_gone"], found["bytes"]) == (f"recipe {recipe}", [], 50)
    assert f"it can be made again from {desk.place / source}" in desk.run("caches", "--explain", desk.place / made).out
    (desk.place / source).unlink()
    desk.ask("scan")
    found = desk.ask("caches")
    assert (found["regenerable"], found["bytes"]) == ([], 0)
    assert [each["path"] for each in found["source_gone"]] == [str(desk.place / made)]
    assert "1 file whose source is gone: perhaps the last there is of it" in desk.run("caches").out
    assert "but its source is gone: no " in desk.run("caches", "--explain", desk.place / made).out


def test_tags_versions_projects_and_what_is_asked_for(desk: Desk):
    tag = b"Signature: 8a477f597d28d172789f06886806bc55\n# made by a player\n"
    desk.write("player/store/CACHEDIR.TAG", tag)
    desk.write("player/store/deep/1.bin", b"1" * 7)
    desk.write("player/other/CACHEDIR.TAG", b"Signature: none")
    desk.write("player/other/2.bin", b"2" * 7)
    desk.write("edit/highlights.otio", b"{}")
    desk.write("edit/reel/teaser.otio", b"{}")
    for version, size in (("v9", 30), ("v10.2", 20)):
        desk.write(f"edit/reel/renders/{version}/a.mov", b"r" * size)
    desk.write("edit/stage.mp4", b"s")
    desk.write("edit/reel/proxies/stage.mov", b"p" * 10)
    desk.write("edit/reel/proxies/proxies/renders/stage.mov", b"q" * 11)
    desk.ask("scan", desk.place)
    found = desk.ask("caches")
    groups = [(each["what"], each["version"], each["bytes"]) for each in found["groups"]]
    assert groups == [("render", "9", 30), ("proxy", "", 21), ("render", "10.2", 20), ("frame cache", "", 7)]
    assert {(each["project"] or {"path": ""})["path"] for each in found["groups"]} == {"", str(desk.place / "edit")}
    tagged = [each for each in found["regenerable"] if each["what"] == "frame cache"]
    assert [Path(each["path"]).name for each in tagged] == ["1.bin"]
    assert tagged[0]["source"]["path"].endswith("store/CACHEDIR.TAG")
    only = desk.ask("caches", "--what", "proxy", "--larger-than", "10")
    assert [each["size"] for each in only["regenerable"]] == [11]
    assert desk.run("caches", "--what", "sandwich").status == 2
    shown = desk.run("caches").out
    assert "5 files can be made again, 78 B." in shown
    assert "no recipe takes edit/stage.mp4" in desk.run("caches", "--explain", desk.place / "edit/stage.mp4").out
    assert "is not in the stock" in desk.run("caches", "--explain", desk.place / "nothing").err


def test_recipes_of_a_users_own_come_first(desk: Desk):
    own = desk.top / "own.toml"
    own.write_text(
        '[[recipe]]\nname = "proxies"\nwhat = "intermediate"\nfiles = ["**/small/*.mov"]\nsource = "stem"\n'
        'folders = ["../large"]\nkinds = ["video"]\nmarks = ["s_"]\n'
    )
    desk.write("small/s_kite.mov", b"small")
    desk.write("large/Kite.mp4", b"large")
    desk.write("proxies/kite.mov", b"the general recipe of this name is not asked")
    desk.ask("scan", desk.place)
    found = desk.ask("caches", "--recipes", own)
    assert [(Path(each["path"]).name, each["what"]) for each in found["regenerable"]] == [
        ("s_kite.mov", "intermediate")
    ]
    assert desk.ask("caches")["regenerable"] == []


@pytest.mark.parametrize(("text", "why"), [
    ("", "it has no [[recipe]]"),
    ("[[recipe", "cannot use the recipes"),
    ("[[recipe]]\nname = 'a'", "recipe 'a' has no what"),
    ("[[recipe]]\nwhat = 'cake'", "recipe number 1, what: write one of render, proxy"),
    ("[[recipe]]\nname = 'a'\nsize = 3", "recipe 'a' has 'size', which is none of"),
    ("[[recipe]]\nname = 'a'\nfiles = []", "recipe 'a', files: write at least one"),
    ("[[recipe]]\nname = 'a'\nversion = 'v('", "no regular expression"),
    ("[[recipe]]\nname = 'a'\nversion = 'v'", "with one group, the version"),
    ("[[recipe]]\nname = 'a'\nfolders = ['/']", "write folders from that of the file"),
    ("[[recipe]]\nname = 'a'\ncleared_in_use = 1", "write true or false"),
])  # fmt: skip
def test_a_recipe_that_makes_no_sense_is_one_line(desk: Desk, text: str, why: str):
    desk.ask("scan", desk.place)
    path = desk.top / "own.toml"
    path.write_text(text)
    answer = desk.run("caches", "--recipes", path)
    assert (answer.status, why in answer.err, answer.err.count("\n")) == (2, True, 1), answer.err
