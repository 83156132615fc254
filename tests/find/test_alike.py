"""Pictures that look alike: found whatever was done to them, told from bursts, and never decided about."""

import csv
import io
import re
from collections import defaultdict
from collections.abc import Callable
from importlib import import_module
from pathlib import Path

import numpy as np
import pytest
from benchmarks.films import SOUND_RATE, WAYS, Way, scenes
from benchmarks.films import encoded as film_as
from hypothesis import given
from hypothesis import strategies as st
from PIL import Image, ImageEnhance, ImageOps

from foldkeep.demo.pictures import draw_kites
from foldkeep.demo.sounds import RATE, encoded, tune, wav
from foldkeep.find.likeness import Content, Pair, Photos, What, grouped
from foldkeep.find.likeness.pictures import FAIR_BITS
from foldkeep.find.likeness.search import near_pairs
from foldkeep.model import Facts, Place, Role, StockFile
from foldkeep.stock import KnownPrint
from harness.desks import Desk

SIZE = (960, 640)


def saved(
    image: Image.Image, form: str = "JPEG", quality: int = 85, taken: str = "", camera: str = "", software: str = ""
) -> bytes:
    exif = Image.Exif()
    if software:
        exif[0x0131] = software
    if taken:
        exif.get_ifd(0x8769)[0x9003] = taken
    if camera:
        exif[0x0110] = camera
    stream = io.BytesIO()
    image.convert("RGB").save(stream, form, quality=quality, exif=exif)
    return stream.getvalue()


def cropped(image: Image.Image, left: float, top: float, right: float, bottom: float) -> Image.Image:
    width, height = image.size
    return image.crop((int(left * width), int(top * height), int((1 - right) * width), int((1 - bottom) * height)))


CHANGES: dict[str, Callable[[Image.Image], bytes]] = {
    "again": lambda image: saved(image, quality=30, software="Hill Editor 4"),
    "small": lambda image: saved(image.resize((240, 160))),
    "webp": lambda image: saved(image, "WEBP", 60),
    "bright": lambda image: saved(ImageEnhance.Brightness(image).enhance(1.25)),
    "contrast": lambda image: saved(ImageEnhance.Contrast(image).enhance(0.7)),
    "gamma": lambda image: saved(image.point([int(255 * (value / 255) ** 1.5) for value in range(256)] * 3)),
    "grey": lambda image: saved(image.convert("L")),
    "mirror": lambda image: saved(ImageOps.mirror(image)),
    "left": lambda image: saved(image.transpose(Image.Transpose.ROTATE_90)),
    "head": lambda image: saved(image.transpose(Image.Transpose.ROTATE_180)),
    "border": lambda image: saved(ImageOps.expand(image, 60, "white")),
}
CROPS: dict[str, Callable[[Image.Image], bytes]] = {
    "around": lambda image: saved(cropped(image, 0.06, 0.06, 0.06, 0.06)),
    "corner": lambda image: saved(cropped(image, 0.1, 0.1, 0, 0)),
    "side": lambda image: saved(cropped(image, 0, 0, 0.15, 0)),
}


@pytest.fixture(scope="module")
def pictures() -> list[Image.Image]:
    return [draw_kites(seed, SIZE) for seed in (3, 11, 42)]


def members(group: dict) -> list[str]:
    return [Path(each["path"]).name for each in group["members"]]


@pytest.mark.parametrize(("changes", "what"), [(CHANGES, "versions"), (CROPS, "crop")], ids=["versions", "crops"])
def test_a_picture_is_known_again_and_no_other_taken_for_it(desk: Desk, pictures, changes, what):
    for number, image in enumerate(pictures):
        desk.write(f"{number}-original.jpg", saved(image, quality=92, taken="2025:06:14 09:12:03", camera="Kite 1"))
        for name, change in changes.items():
            desk.write(f"{number}-{name}.jpg", change(image))
    desk.ask("scan", desk.place)
    groups = desk.ask("alike")["groups"]
    assert all(len({name[0] for name in members(group)}) == 1 for group in groups), "different pictures in one group"
    found: dict[str, set[str]] = defaultdict(set)
    for group in groups:
        if group["what"] == what:
            assert group["members"][0]["likely_original"] is True
            assert members(group)[0].endswith("-original.jpg")
            found[members(group)[0][0]] |= {name[2:-4] for name in members(group)[1:]}
    assert found == {str(number): set(changes) for number in range(len(pictures))}
    if what == "versions":
        assert "has the camera's data" in groups[0]["members"][0]["why"]
        differs = {Path(each["path"]).name: each["differs"] for group in groups for each in group["members"]}
        assert "240 × 160, not 960 × 640" in differs["0-small.jpg"]
        assert any("JPEG quality 30, not 92" in words for words in differs["1-again.jpg"])
        assert "saved by Hill Editor 4" in differs["1-again.jpg"]
        assert {"mirrored"} & set(differs["2-mirror.jpg"])


def test_shots_of_one_moment_are_no_versions(desk: Desk, pictures):
    image = pictures[0]
    for number in range(3):  # a burst: the frame moves a little
        frame = image.crop((number * 4, number * 2, 900 + number * 4, 600 + number * 2))
        desk.write(f"WKD_010{number}.jpg", saved(frame, taken=f"2025:06:14 09:12:0{number}", camera="Kite 1"))
    desk.write("small.jpg", saved(image.crop((0, 0, 900, 600)).resize((300, 200)), taken="2025:06:14 09:12:00"))
    desk.ask("scan", desk.place)
    groups = {group["what"]: group for group in desk.ask("alike")["groups"]}
    assert sorted(members(groups["moment"])) == ["WKD_0100.jpg", "WKD_0101.jpg", "WKD_0102.jpg"]
    assert [each["why"] for each in groups["moment"]["members"]].count("the sharpest") == 1
    assert not any(each["likely_original"] for each in groups["moment"]["members"])
    assert members(groups["versions"]) == ["WKD_0100.jpg", "small.jpg"]


def test_a_docket_of_likeness_takes_nothing(desk: Desk, pictures):
    desk.write("kite.jpg", saved(pictures[0], quality=92))
    desk.write("copy of kite.jpg", saved(pictures[0], quality=92))
    desk.write("web/kite.jpg", saved(pictures[0].resize((300, 200))))
    desk.write("plain.jpg", saved(Image.new("RGB", SIZE)))
    desk.write("broken.jpg", saved(pictures[1])[:2000])
    desk.ask("scan", desk.place)
    answer = desk.ask("alike", "-o", desk.docket, "--csv", desk.top / "table.csv")
    assert (answer["without_print"], [each["copies"] for each in answer["groups"][0]["members"]]) == (2, [2, 1])
    with desk.docket.open(newline="") as stream:
        rows = list(csv.DictReader(stream))
    assert {row["action"] for row in rows} == {"leave"}
    assert rows[0]["reason"].startswith("suggested keeper: ")
    assert "300 × 200" in rows[1]["reason"]
    assert desk.ask("fold", desk.docket, "--yes")["folded"] == 0
    # A person who writes fold is not believed: the two have different contents.
    desk.docket.write_text(desk.docket.read_text().replace(",leave,", ",keep,", 1).replace(",leave,", ",fold,", 1))
    folded = desk.ask("fold", desk.docket, "--yes")
    assert (folded["folded"], "another content" in folded["left"][0]["reason"]) == (0, True)
    table = (desk.top / "table.csv").read_text().splitlines()
    assert (len(table), table[1].split(",")[1:4]) == (3, ["versions", "strong", "yes"])


def test_alike_is_asked_of_folders_and_files(desk: Desk, pictures):
    for number, image in enumerate(pictures):
        desk.write(f"{number}/a.jpg", saved(image, quality=92))
        desk.write(f"{number}/b.png", saved(image.resize((300, 200)), "PNG"))
    desk.ask("scan", desk.place)
    assert len(desk.ask("alike")["groups"]) == 3
    assert len(desk.ask("alike", desk.place / "1")["groups"]) == 1
    (near,) = desk.ask("alike", "--near", desk.place / "2/b.png")["groups"]
    assert {Path(each["path"]).parent.name for each in near["members"]} == {"2"}
    assert desk.ask("alike", "--name", "nothing*")["groups"] == []
    assert desk.run("alike", "--near", desk.place / "gone.jpg").status == 2
    assert desk.ask("alike", "--kind", "video")["groups"] == []
    refused = desk.run("alike", "--kind", "document")
    assert (refused.status, "only photos, films and sounds are compared" in refused.err) == (2, True)
    assert "versions of one picture, 2 files" in desk.run("alike").out


def test_what_cannot_be_read_now_is_a_line_and_what_is_known_of_a_drive_stays(desk: Desk, pictures, tmp_path):
    drive = tmp_path / "drive"
    drive.mkdir()
    (drive / "far.jpg").write_bytes(saved(pictures[0], quality=92))
    near = desk.write("near.jpg", saved(pictures[0].resize((300, 200))))
    desk.ask("scan", desk.place, drive)
    assert len(desk.ask("alike")["groups"]) == 1
    drive.rename(tmp_path / "in the cupboard")
    assert len(desk.ask("alike")["groups"]) == 1, "its print is known"
    desk.write("new.jpg", saved(pictures[1]))
    desk.ask("scan", desk.place)
    (desk.place / "new.jpg").write_bytes(saved(pictures[2]))
    answer = desk.run("alike")
    assert (answer.status, "new.jpg" in answer.err, "scan again" in answer.err) == (1, True, True)
    near.unlink()
    desk.ask("scan", desk.place)
    prints = desk.stock.with_name(desk.stock.name + ".prints")
    whole = prints.read_bytes()
    prints.write_bytes(whole[:4096] + b"\xff" * (len(whole) - 4096))
    damaged = desk.run("alike")
    assert (damaged.status, damaged.err.count("\n"), "delete that file" in damaged.err) == (2, 1, True)
    prints.write_bytes(b"no database at all")
    assert desk.run("alike").status == 0, "what cannot be kept is made for once"


@pytest.mark.more
def test_what_is_new_is_compared_with_all_and_all_with_all_only_once(desk: Desk, pictures, monkeypatch):
    asking = import_module("foldkeep.find.likeness.alike_groups")
    changes = {"original": lambda image: saved(image, quality=92), **CHANGES, **CROPS}
    files = {
        f"{number}-{name}.jpg": change(image)
        for number, image in enumerate(pictures)
        for name, change in changes.items()
    }
    compared: list[int] = []
    real = asking.like_pictures

    def counted(prints, parts, detail, progress, new, workers):
        compared.append(len(new))
        return real(prints, parts, detail, progress, new, workers)

    monkeypatch.setattr(asking, "like_pictures", counted)
    names = sorted(files, key=lambda name: len(files[name]) % 97)  # as they come
    for start, end in ((0, 9), (9, 10), (10, 44), (44, 45)):
        for name in names[start:end]:
            desk.write(name, files[name])
        desk.ask("scan", desk.place)
        bit_by_bit = desk.ask("alike")["groups"]
    assert compared == [9, 1, 34, 1]
    assert desk.ask("alike")["groups"] == bit_by_bit
    assert compared[-1] == 0
    desk.stock.with_name(desk.stock.name + ".prints").unlink()
    at_once = desk.ask("alike")["groups"]
    assert compared[-1] == 45
    assert at_once == bit_by_bit


@given(st.integers(0, 2**32), st.integers(2, 60), st.sampled_from((8, 24, FAIR_BITS)))
def test_near_prints_are_those_that_share_a_band_and_differ_little(seed: int, number: int, most: int):
    random = np.random.default_rng(seed)
    prints = random.integers(0, 2**64, (number, 4), np.uint64, endpoint=False)
    for at in range(1, number):  # some are near ones of others
        if random.random() < 0.7:
            flipped = np.zeros(256, np.uint8)
            flipped[random.choice(256, random.integers(0, 60), replace=False)] = 1
            prints[at] = prints[random.integers(0, at)] ^ np.packbits(flipped).view(np.uint64)
    found = {
        (int(one), int(other)): int(count)
        for here, there, bits in near_pairs(prints, prints, most)
        for one, other, count in zip(here, there, bits, strict=True)
    }
    differ = np.bitwise_count(prints[:, None] ^ prints[None, :]).sum(axis=2)
    keys = prints.view(np.uint16)
    shares = (keys[:, None] == keys[None, :]).any(axis=2)
    assert found == {
        (one, other): int(differ[one, other])
        for one in range(number) for other in range(number) if differ[one, other] <= most and shares[one, other]
    }  # fmt: skip


@given(st.lists(st.tuples(st.integers(0, 30), st.integers(0, 30)).filter(lambda pair: pair[0] != pair[1]), max_size=60))
def test_every_member_agrees_with_the_chosen_one_itself(edges: list[tuple[int, int]]):
    place = Place(1, b"/p", Role.WORKING, "p", 1)

    def content(number: int) -> Content:
        path = b"/p/%d.jpg" % number
        file = StockFile(path, 100 + number, 0, "photo", place, 1, number, 1, 0, number.to_bytes(32, "big"))
        return Content([file], Facts(width=100, height=10), KnownPrint(sharpness=float(number)))

    pairs = {(min(pair), max(pair)) for pair in edges}
    groups = grouped((Pair(one, other, 0.9, 10) for one, other in sorted(pairs)), content, Photos())
    seen: set[int] = set()
    for group in groups:
        numbers = [member.content.file.inode for member in group.members]
        assert group.what is What.VERSIONS
        assert all((min(numbers[0], other), max(numbers[0], other)) in pairs for other in numbers[1:])
        assert len(numbers) > 1
        assert seen.isdisjoint(numbers), "nothing is in two groups of one kind"
        seen.update(numbers)


@pytest.mark.parametrize("number", [4_000, pytest.param(100_000, marks=pytest.mark.long)])
def test_no_chain_of_weak_likenesses_makes_one_group(number: int):
    random = np.random.default_rng(number)
    prints = random.integers(0, 2**64, (number, 4), np.uint64, endpoint=False)
    for at in range(number):  # chains of 400 pictures, each of which is very much like the one before
        if at % 400:
            flipped = np.zeros(256, np.uint8)
            flipped[random.choice(256, 6, replace=False)] = 1
            prints[at] = prints[at - 1] ^ np.packbits(flipped).view(np.uint64)
    found = near_pairs(prints, prints, FAIR_BITS)
    near = {each for part in found for each in zip(*(column.tolist() for column in part), strict=True)}
    place = Place(1, b"/p", Role.WORKING, "p", 1)

    def content(at: int) -> Content:
        file = StockFile(b"/p/%d.jpg" % at, 100, 0, "photo", place, 1, at, 1, 0, at.to_bytes(32, "big"))
        return Content([file], Facts(width=100, height=10), KnownPrint())

    pairs = (Pair(one, other, 0.9, bits) for one, other, bits in sorted(near) if one > other)
    groups = grouped(pairs, content, Photos())
    for group in groups:
        chosen, *others = (member.content.file.inode for member in group.members)
        apart = np.bitwise_count(prints[others] ^ prints[chosen]).sum(axis=1)
        assert apart.max() <= FAIR_BITS
        assert len(others) <= 40, "a chain goes on for 400"
    assert sum(len(group.members) for group in groups) > number * 0.9


def played(seed: int) -> np.ndarray:
    """Return half a minute of notes of no tune, with their overtones, that no other seed has."""
    random = np.random.default_rng(seed)
    notes = [tune([int(step) for step in random.integers(-9, 10, 8)]) for _ in range(8)]
    return np.concatenate(notes)[: 24 * RATE]


@pytest.mark.more
def test_a_recording_is_known_again_and_no_other_taken_for_it(desk: Desk):
    changes: dict[str, Callable[[np.ndarray], bytes]] = {
        "loud.wav": lambda samples: wav(np.clip(samples * 1.2, -26_000, 26_000).astype("<i2")),
        "small.mp3": lambda samples: encoded(samples, "mp3", {"title": "March"}),
        "late.flac": lambda samples: encoded(np.concatenate([np.zeros(3 * RATE, "<i2"), samples]), "flac", {}),
        "part.mp3": lambda samples: encoded(samples[4 * RATE : 18 * RATE], "mp3", {}),
    }
    for number in range(4):
        desk.write(f"{number}-original.wav", wav(played(number)))
        for name, change in changes.items():
            desk.write(f"{number}-{name}", change(played(number)))
    desk.write("silence.wav", wav(np.zeros(20 * RATE, "<i2")))
    desk.write("blip.wav", wav(played(9)[:RATE]))
    desk.ask("scan", desk.place)
    answer = desk.ask("alike", "--kind", "audio")
    assert answer["without_print"] == 2
    assert {group["what"] for group in answer["groups"]} == {"recording"}
    assert sorted(sorted(members(group)) for group in answer["groups"]) == [
        sorted([f"{number}-original.wav", *(f"{number}-{name}" for name in changes)]) for number in range(4)
    ]
    differs = {Path(each["path"]).name: each["differs"] for group in answer["groups"] for each in group["members"]}
    assert any("MP3, not " in words for words in differs["0-small.mp3"])
    assert any(re.fullmatch(r"begins [47] s into it", words) for words in differs["1-part.mp3"])
    assert any("long, not" in words for words in differs["2-part.mp3"])


FILM_WAYS = ("H.264, half the size", "proxy, every frame whole", "trimmed at the start", "between bars above and below",
             "without sound")  # fmt: skip


@pytest.mark.more
def test_a_film_is_known_again_and_no_other_taken_for_it(desk: Desk):
    scenery = [draw_kites(seed, (720, 480)) for seed in range(20, 26)]
    sound = np.repeat(played(40), SOUND_RATE // RATE)[: 12 * SOUND_RATE]
    for number, (seconds, ways) in enumerate(((12, FILM_WAYS), (4, ("graded",)))):
        frames = scenes(scenery[3 * number : 3 * number + 3], number, seconds, 2)
        desk.write(f"{number}-original.mp4", film_as(frames, sound[: seconds * SOUND_RATE], Way()))
        for name in ways:
            made = film_as(frames, sound[: seconds * SOUND_RATE], WAYS[name])
            desk.write(f"{number}-{name}.{WAYS[name].suffix}", made)
    desk.write("sound.wav", wav(played(40)[: 12 * RATE]))
    desk.write("other pictures.mp4", film_as([frame[:, ::-1] for frame in frames] * 3, sound, Way()))
    desk.write("grey.mp4", film_as([np.full((360, 640, 3), 90, np.uint8)] * 50, np.zeros(0, "<i2"), Way(sound="")))
    desk.ask("scan", desk.place)
    answer = desk.ask("alike")
    films = [group for group in answer["groups"] if group["what"] == "film"]
    names = [f"0-{name}.{WAYS[name].suffix}" for name in FILM_WAYS]
    assert sorted(sorted(members(group)) for group in films) == [
        sorted(["0-original.mp4", *names]), ["1-graded.mp4", "1-original.mp4"]
    ]  # fmt: skip
    assert members(next(group for group in films if len(group["members"]) > 2))[0] == "0-original.mp4"
    assert [group["strength"] for group in films] == ["strong", "fair"], "four seconds with a single cut"
    differs = {Path(each["path"]).name: "; ".join(each["differs"]) for group in films for each in group["members"]}
    assert "begins 3 s into it" in differs["0-trimmed at the start.mp4"]
    assert "320 × 180, not 640 × 360" in differs["0-proxy, every frame whole.mov"]
    assert "between bars" in differs["0-between bars above and below.mp4"]
    assert "without sound" in differs["0-without sound.mp4"]
    # What is heard is told as well: a recording, and another film under the same sound.
    (recording,) = (group for group in answer["groups"] if group["what"] == "recording")
    assert members(recording)[0] == "sound.wav"
    assert "with pictures" in {word for each in recording["members"] for word in each["differs"]}
    assert "other pictures.mp4" in members(recording)
    assert answer["without_print"] == 1
    near = desk.ask("alike", "--near", desk.place / "1-graded.mp4")["groups"]
    assert near == [films[1]]
    assert films[0] in desk.ask("alike", "--strength", "strong", "--kind", "video")["groups"]


def test_of_a_folder_only_that_is_read_and_compared_with_all_that_was(desk: Desk, pictures):
    for number, image in enumerate(pictures):
        desk.write(f"{number}/a.jpg", saved(image, quality=92))
        desk.write(f"far/{number}.png", saved(image.resize((300, 200)), "PNG"))
    desk.ask("scan", desk.place)
    first = desk.ask("alike", desk.place / "1")
    assert (first["groups"], first["not_compared"]) == ([], 2 * len(pictures) - 1)
    assert "Not compared: 5 files elsewhere, never looked at yet" in desk.run("alike", desk.place / "1").out
    both = desk.ask("alike", desk.place / "1", "--against", desk.place / "far")
    assert (len(both["groups"]), both["not_compared"]) == (1, len(pictures) - 1)
    # What was read before is compared, though it lies elsewhere.
    later = desk.ask("alike", desk.place / "2")
    assert (len(later["groups"]), later["not_compared"]) == (1, len(pictures) - 2)
    near = desk.ask("alike", desk.place / "2", "--near", desk.place / "0/a.jpg")
    assert (near["groups"], near["not_compared"]) == ([], 0)
    assert desk.run("alike", "--against", desk.place / "far").status == 2


def test_a_file_that_cannot_be_read_now_is_a_problem_and_not_elsewhere(desk: Desk, pictures):
    for number, image in enumerate(pictures[:2]):
        desk.write(f"1/{number}.jpg", saved(image, quality=92))
    desk.ask("scan", desk.place)
    desk.write("1/0.jpg", saved(pictures[2], quality=90))  # it is not what the scan saw
    answer = desk.run("alike", desk.place / "1")
    assert (answer.status, "1/0.jpg" in answer.err, "Not compared" in answer.out) == (1, True, False)
