"""What a file's evidence is worth: nothing that a person made is called regenerable because of a name."""

import csv
import io
import json
import os
from collections.abc import Callable, Sequence
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
import pytest
from PIL import Image, ImageDraw

from foldkeep.demo import pictures, sounds
from harness.desks import TRUST, Desk, contents, edit, left

HEX = "2f9ac01b44d%d.bin"


def still(seed: int = 1) -> Image.Image:
    return Image.open(io.BytesIO(pictures.jpeg(seed, "Ridge 7", "2025:06:14 10:00:00"))).convert("RGB")


def saved(image: Image.Image, form: str = "JPEG", **options) -> bytes:
    stream = io.BytesIO()
    image.save(stream, form, **options)
    return stream.getvalue()


def grades(desk: Desk, *words: str) -> dict[str, str]:
    """Every file that `caches` tells of by its path below the place, with its grade, or why it has none."""
    found = desk.ask("caches", *words)
    told = {"regenerable": None, "likely": None, "perhaps": None, "source_gone": "gone", "in_use": "in use"}
    return {
        str(Path(each["path"]).relative_to(desk.place)): word or each["grade"]
        for name, word in told.items()
        for each in found[name]
    }


def edl(*clips: str) -> bytes:
    lines = "".join(
        f"{at:03}  AX       V     C        00:00:00:00 00:00:02:00 01:00:{2 * at:02}:00 01:00:{2 * at + 2:02}:00\n"
        f"* SOURCE FILE: {clip}\n"
        for at, clip in enumerate(clips)
    )
    return f"TITLE: HARBOUR\n{lines}".encode()


def all_that_can_go(desk: Desk, *words: str | Path) -> None:
    """Do what a careless user does: whatever `caches` writes is folded, and all of it released."""
    desk.docket.unlink(missing_ok=True)
    desk.ask("caches", "-o", desk.docket, *words)
    desk.ask("fold", desk.docket, "--yes")
    desk.ask("release", "--all", "--yes")


def test_a_finished_film_stays_whatever_its_folder_is_called_and_whom_the_user_trusts(desk: Desk):
    desk.write("harbour/cut.edl", edl("kite.mp4", "sea.mp4"))
    for name, seconds in (("kite.mp4", 2.5), ("sea.mp4", 2.5), ("renders/harbour final.mp4", 4.2),
                          ("renders/v1/try 2.mp4", 1.0), ("renders/2025-06-14.mp4", 4.0)):  # fmt: skip
        desk.write(f"harbour/{name}", sounds.film(len(name), seconds))
    march = [0.1] * (44100 * 5)

    desk.write("harbour/mixes/march.wav", sounds.wav(np.array(march)))
    desk.ask("scan", desk.place)
    assert grades(desk) == {"harbour/renders/v1/try 2.mp4": "perhaps"}
    assert grades(desk, *TRUST) == {"harbour/renders/v1/try 2.mp4": "trusted"}
    told = desk.run("caches", "--explain", desk.place / "harbour/renders/harbour final.mp4").out
    assert "a finished film or mix" in told
    (project,) = desk.ask("projects")["projects"]
    assert project["parts"]["finished"]["files"] == 3
    before = contents(desk.place)
    all_that_can_go(desk)
    assert contents(desk.place) == before
    desk.ask("archive", desk.place / "harbour", "--to", desk.top, "--fold-original", "--yes")
    desk.ask("release", "--all", "--yes")
    assert contents(desk.top / "harbour/data") >= before


def test_a_stray_edit_list_on_top_of_a_place_makes_no_photo_regenerable(desk: Desk):
    desk.write("teaser.edl", edl("kite.mp4"))
    for folder in ("cache", "previews", "renders", "proxies", "thumbs"):
        for number in range(3):
            desk.write(f"2019/{folder}/{number}.jpg", saved(still(number)) + folder.encode())
        desk.write(f"2019/{folder}/{HEX % 1}", f"a notebook of {folder}".encode())
        desk.write(f"2019/{folder}/budget.xlsx", folder.encode())
    desk.ask("scan", desk.place)
    before = contents(desk.place)
    assert set(grades(desk).values()) <= {"perhaps", "gone"}
    for words in ((), ("--unused",), ("--older-than", "1d", "--unused")):
        all_that_can_go(desk, *words)
        assert contents(desk.place) == before


def made_stills() -> dict[str, tuple[bytes, str]]:
    """Files beside a still, each with the grade that it deserves."""
    whole = still()
    small = whole.resize((360, 240), Image.Resampling.LANCZOS)
    retouched = whole.copy()
    ImageDraw.Draw(retouched).ellipse((400, 300, 460, 350), fill=(180, 40, 40))
    words = Image.Exif()
    words[0x010E] = "the one for the poster"
    return {
        "a plain reduction": (saved(small, quality=70), "proved"),
        "one at half the size": (saved(whole.resize((540, 360)), quality=85), "proved"),
        "another format": (saved(small, "PNG"), "proved"),
        "the same size": (saved(whole, quality=30), "perhaps"),
        "larger": (saved(whole.resize((2160, 1440))), "perhaps"),
        "retouched": (saved(retouched.resize((360, 240))), "perhaps"),
        "graded": (saved(small.point(lambda value: min(255, round(value * 1.05)))), "perhaps"),
        "cropped": (saved(whole.crop((10, 10, 1060, 710)).resize((360, 240))), "perhaps"),
        "another shape": (saved(whole.resize((360, 250))), "perhaps"),
        "another picture": (saved(still(2).resize((360, 240))), "perhaps"),
        "words of a person": (saved(small, exif=words), "perhaps"),
        "broken": (saved(small)[:2000], "perhaps"),
        "too small": (saved(whole.resize((24, 16))), "perhaps"),
        "a letter": (b"Dear desk, ", "perhaps"),
    }


def test_a_preview_is_proved_by_what_it_shows(desk: Desk):
    cases = made_stills()
    for what, (content, _) in cases.items():
        desk.write(f"{what}/kite.jpg", saved(still(), quality=92))
        desk.write(f"{what}/thumbs/kite.jpg", content)
    desk.ask("scan", desk.place)
    for _ in range(2):  # what was measured is remembered
        assert grades(desk) == {f"{what}/thumbs/kite.jpg": grade for what, (_, grade) in cases.items()}
    all_that_can_go(desk)
    for what, (_, grade) in cases.items():
        assert (desk.place / what / "thumbs/kite.jpg").exists() == (grade != "proved"), what
        assert (desk.place / what / "kite.jpg").exists()


def filmed(
    shade: Callable[[int, np.ndarray], np.ndarray] = lambda _, frame: frame,
    size: tuple[int, int] = (160, 90),
    tones: Sequence[float] = (440.0,),
    codec: str = "mjpeg",
    rate: int = 25,
    **words: str,
) -> bytes:
    """A film of 40 frames over which a picture moves, with a sound of several tones."""
    scene, stream = np.asarray(still().resize((480, 320))), io.BytesIO()
    with av.open(stream, "w", format="mov") as clip:
        clip.metadata.update(words)
        track = clip.add_stream(codec, rate=rate)
        track.width, track.height, track.pix_fmt = *size, "yuvj420p" if codec == "mjpeg" else "yuv420p"
        track.bit_rate = 3_000_000
        heard = clip.add_stream("aac", rate=48_000, layout="mono") if tones else None
        for number in range(40):
            frame = shade(number, scene[number : number + 180, 2 * number : 2 * number + 320].copy())
            picture = av.VideoFrame.from_ndarray(frame, "rgb24").reformat(*size, interpolation="AREA")
            picture.pts, picture.time_base = number, Fraction(1, rate)
            clip.mux(track.encode(picture))
        clip.mux(track.encode(None))
        if heard:
            at = np.arange(40 * 48_000 // rate) / 48_000
            wave = sum(np.sin(2 * np.pi * tone * at) * 0.3 for tone in tones).astype(np.float32)[None]
            sound = av.AudioFrame.from_ndarray(wave, "fltp", "mono")
            sound.sample_rate, sound.pts = 48_000, 0
            clip.mux(heard.encode(sound))
            clip.mux(heard.encode(None))
    return stream.getvalue()


def titled(number: int, frame: np.ndarray) -> np.ndarray:
    if number == 21:  # in one frame
        frame[140:160, 40:80] = (250, 240, 60)
    return frame


MADE_FILMS = {
    "a proxy": ({}, "proved"),
    "a small proxy": ({"size": (96, 54), "codec": "mpeg4"}, "proved"),
    "one at the same size": ({"size": (320, 180)}, "perhaps"),
    "one with a title in a frame": ({"shade": titled}, "perhaps"),
    "a graded one": ({"shade": lambda _, frame: (frame * 0.97).astype(np.uint8)}, "perhaps"),
    "one of another shape": ({"size": (160, 120)}, "perhaps"),
    "one that is faster": ({"rate": 30}, "perhaps"),
    "one with another sound": ({"tones": (440.0, 659.3)}, "perhaps"),
    "one without sound": ({"tones": ()}, "perhaps"),
    "one with words": ({"title": "the cut for the press"}, "perhaps"),
}


def test_a_proxy_film_is_proved_frame_by_frame_when_that_is_asked_for(desk: Desk):
    source, half = filmed(size=(320, 180), codec="mpeg4"), filmed()
    cases = {what: (filmed(**made), grade) for what, (made, grade) in MADE_FILMS.items()}
    cases |= {"a broken one": (half[: len(half) // 2], "perhaps"), "a letter": (b"Dear desk, ", "perhaps")}
    for what, (content, _) in cases.items():
        desk.write(f"{what}/kite.mov", source)
        desk.write(f"{what}/proxies/kite.mov", content)
    desk.ask("scan", desk.place)
    expected = {f"{what}/proxies/kite.mov": grade for what, (_, grade) in cases.items()}
    assert grades(desk) == dict.fromkeys(expected, "perhaps")
    assert f"{len(cases)} proxy films are compared" in desk.run("caches").out
    assert grades(desk, "--measure-films") == expected
    assert grades(desk) == expected, "what was measured is remembered"
    # What a timeline plays stays where it looks for it; that it plays the source is no use of a proxy.
    edit_list = desk.write("a proxy/cut.edl", edl("kite.mov", "proxies/kite.mov"))
    desk.ask("scan", desk.place)
    assert grades(desk)["a proxy/proxies/kite.mov"] == "in use"
    edit_list.unlink()
    desk.ask("scan", desk.place)
    desk.ask("caches", "-o", desk.docket)
    made = desk.place / "a small proxy/proxies/kite.mov"
    facts, content = made.stat(), made.read_bytes()
    made.write_bytes(content[: len(content) // 2] + bytes(400) + content[len(content) // 2 + 400 :])
    os.utime(made, ns=(facts.st_atime_ns, facts.st_mtime_ns))
    done = desk.ask("fold", desk.docket, "--yes")
    assert (done["folded"], [each[0] for each in left(done)]) == (1, [made.name])
    desk.ask("release", "--all", "--yes")
    for what in cases:
        assert (desk.place / what / "proxies/kite.mov").exists() == (what != "a proxy"), what
        assert (desk.place / what / "kite.mov").exists()


def test_what_was_measured_is_what_goes(desk: Desk):
    source = desk.write("stills/kite.jpg", saved(still(), quality=92))
    small = saved(still().resize((360, 240)), quality=70)
    drawn = saved(still(5).resize((360, 240)), quality=70)
    drawn += bytes(len(small) - len(drawn)) if len(drawn) < len(small) else b""
    small += bytes(max(0, len(drawn) - len(small)))
    made = desk.write("stills/thumbs/kite.jpg", small)
    desk.ask("scan", desk.place)
    assert grades(desk) == {"stills/thumbs/kite.jpg": "proved"}
    desk.ask("caches", "-o", desk.docket)
    # Somebody draws on it and puts its time back: what the stock remembers is not asked again.
    made.write_bytes(drawn)
    os.utime(made, (1_750_000_000,) * 2)
    (why,) = left(desk.ask("fold", desk.docket, "--yes"))
    assert "it may be anything" in why[1]
    made.write_bytes(small)
    os.utime(made, (1_750_000_000,) * 2)
    assert desk.ask("fold", desk.docket, "--yes")["folded"] == 1
    # The same in the fold, and with the source.
    (slot,) = desk.place.glob(".foldkeep/*/files/*")
    for path in (slot, source):
        facts, content = path.stat(), path.read_bytes()
        path.write_bytes(content[:-40] + bytes(40))
        os.utime(path, ns=(facts.st_atime_ns, facts.st_mtime_ns))
        assert len(left(desk.ask("release", "--all", "--yes"))) == 1
        path.write_bytes(content)
        os.utime(path, ns=(facts.st_atime_ns, facts.st_mtime_ns))
    assert desk.ask("release", "--all", "--yes")["released"] == 1


def likely_ones(desk: Desk) -> None:
    desk.write("edit/cut.edl", edl("kite.mp4", "sea.mp4"))
    desk.write("edit/kite.mp4", b"k" * 30)
    for number in range(9):
        desk.write(f"edit/cache/{HEX % number}", b"%d" % number * 20)


def test_opaque_files_of_a_cache_are_likely_and_go_only_by_a_persons_hand(desk: Desk):
    likely_ones(desk)
    desk.ask("scan", desk.place)
    names = {f"edit/cache/{HEX % number}" for number in range(9)}
    assert grades(desk) == dict.fromkeys(names, "likely")
    before = contents(desk.place)
    all_that_can_go(desk)
    assert contents(desk.place) == before
    desk.ask("archive", desk.place / "edit", "--to", desk.top)
    assert contents(desk.top / "edit/data") >= before
    edit(desk.docket, lambda row: {**row, "action": "fold"} if row["kind"] == "frame cache" else row)
    for_good = desk.ask("fold", desk.docket, "--yes", "--method", "delete", "--for-good")
    assert (for_good["folded"], "only likely" in left(for_good)[0][1]) == (0, True)
    assert desk.ask("fold", desk.docket, "--yes")["folded"] == 9
    assert all("say --likely" in why for _, why in left(desk.ask("release", "--all", "--yes")))
    assert desk.ask("release", "--all", "--yes", "--likely")["released"] == 9


@pytest.mark.parametrize(
    ("name", "content"),
    [
        ("edit/cut.edl", b"TITLE: nothing in it\n"),
        ("edit/cut.edl", b""),
        ("edit/cut.edl", edl("cache/" + HEX % 0, *(HEX % number for number in range(1, 9)))),
        ("other/cut.fcpxml", " ".join(f"../edit/cache/{HEX % number}" for number in range(9)).encode()),
        ("other/sealed.aaf", b"\0 who knows"),
    ],
)
def test_a_document_that_says_nothing_or_mentions_them_makes_them_no_more_than_perhaps(desk: Desk, name, content):
    likely_ones(desk)
    desk.write(name, content)
    desk.ask("scan", desk.place)
    assert set(grades(desk).values()) == {"perhaps"}


def test_names_that_people_give_kinds_that_people_make_and_a_stray_document_are_not_likely(desk: Desk):
    likely_ones(desk)
    for name in ("cache/notes of the band.bin", "peaks 2/plan.bin", f"cache/{HEX % 1}.pdf", "renders/000123.mov"):
        desk.write(f"edit/{name}", name.encode())
    for number in range(9):
        desk.write(f"albums/cache/{HEX % number}", b"a%d" % number)
        desk.write(f"edit/cache/drafts/poem {number}.bin", b"d%d" % number)
    desk.write("stray.edl", edl("kite.mp4"))
    desk.ask("scan", desk.place)
    found = grades(desk)
    likely = {name for name, grade in found.items() if grade == "likely"}
    # One file of a person among nine of a machine: these stay likely, it does not become so.
    assert likely <= {f"edit/cache/{HEX % number}" for number in range(9)}
    assert "proved" not in found.values()


def test_no_cell_of_a_docket_raises_a_grade(desk: Desk):
    desk.write("edit/cut.edl", edl("kite.mp4"))
    source = desk.write("edit/kite.mp4", sounds.film(1, 1.0))
    made = desk.write("edit/proxies/kite.mp4", sounds.film(2, 1.0))
    desk.ask("scan", desk.place)
    assert grades(desk) == {"edit/proxies/kite.mp4": "perhaps"}
    desk.ask("caches", "-o", desk.docket, "--trust", "proxies")
    with desk.docket.open(newline="") as stream:
        rows = list(csv.DictReader(stream))
    assert [(row["action"], row["kind"]) for row in rows] == [("keep", "video"), ("fold", "proxy")]
    (why,) = left(desk.ask("fold", desk.docket, "--yes"))
    assert "it may be anything" in why[1]
    for kind in ("thumbnail", "cache", "waveform"):
        edit(desk.docket, lambda row, kind=kind: {**row, "kind": kind} if row["action"] == "fold" else row)
        assert desk.ask("fold", desk.docket, "--yes")["folded"] == 0
    # The user's word lets it go into the fold, and must be given again for it to go for good.
    assert desk.ask("fold", desk.docket, "--yes", "--trust", "proxies")["folded"] == 1
    (why,) = (
        left(desk.ask("release", "1" if not made.exists() else "9", "--yes"))
        if False
        else left(desk.ask("release", "--all", "--yes"))
    )
    assert "--trust 'proxies'" in why[1]
    own = desk.top / "own.toml"
    own.write_text(
        '[[recipe]]\nname = "proxies"\nwhat = "proxy"\nfiles = ["**/proxies/**"]\nsource = "stem"\ntrust = true\n'
    )
    assert desk.ask("release", "--all", "--yes", "--recipes", own)["released"] == 1
    assert source.exists()
    refused = desk.run("caches", "--trust", "proxeis")
    assert (refused.status, "did you mean 'proxies'?" in refused.err) == (2, True)


def test_what_another_project_or_a_catalogue_uses_is_in_use_though_its_recipe_is_trusted(desk: Desk):
    desk.write("A/cut.edl", edl("a.mp4"))
    for name in ("titles.mov", "credits.mov", "listed.mov", "draft.mov"):
        desk.write(f"A/renders/{name}", name.encode())
    desk.write("A/a.mp4", b"a" * 9)
    desk.write("A/proxies/a.mov", b"p" * 9)
    timeline = {"OTIO_SCHEMA": "Timeline.1", "tracks": [
        {"OTIO_SCHEMA": "ExternalReference.1", "target_url": "../A/renders/titles.mov"},
        {"OTIO_SCHEMA": "ExternalReference.1", "target_url": "../A/a.mp4"}]}  # fmt: skip
    desk.write("B/cut.otio", json.dumps(timeline).encode())
    desk.write("loose.fcpxml", b'<clip src="A/renders/credits.mov"/>')
    catalog = desk.top / "list.csv"
    catalog.write_text(f"path\n{desk.place}/A/renders/listed.mov\n")
    desk.ask("scan", desk.place)
    desk.ask("catalog", "add", "desk list", catalog)
    used = {f"A/renders/{name}.mov": "in use" for name in ("titles", "credits", "listed")}
    assert grades(desk, *TRUST) == {**used, "A/renders/draft.mov": "trusted", "A/proxies/a.mov": "trusted"}
    assert "A/proxies/a.mov" not in grades(desk, *TRUST, "--unused")
    # What cannot be read may use anything, and that is said in one line.
    desk.write("B/sealed.aaf", b"\0 who knows")
    desk.ask("scan")
    answer = desk.run("caches", "--unused", *TRUST)
    assert (answer.status, answer.err.count("so it may use anything")) == (1, 1)
    assert desk.ask("caches", "--unused", *TRUST)["regenerable"] == []


def test_on_the_sample_library_everything_that_a_person_made_is_still_there(sample_desk: Desk):
    desk = sample_desk
    machine = ("/edit/cache/", "/edit/waveforms of media/", "/previews/")
    desk.ask("scan", desk.place)
    before = contents(desk.place)
    of_machines = {
        digest for path in desk.place.rglob("*") if path.is_file() and any(part in str(path) for part in machine)
        for digest in contents(path.parent)
    }  # fmt: skip
    all_that_can_go(desk)
    assert before - of_machines <= contents(desk.place) < before
    (desk.top / "shelf").mkdir()
    desk.ask(
        "archive", desk.place / "last year/highlights 2024", "--to", desk.top / "shelf", "--fold-original", "--yes"
    )
    desk.ask("release", "--all", "--yes", "--likely")
    assert before - of_machines <= contents(desk.place) | contents(desk.top / "shelf")
    assert (desk.top / "shelf/highlights 2024/data/highlights 2024/renders/highlights 2024 final.mp4").exists()


def test_what_others_use_of_an_archived_project_stays_and_they_are_named(desk: Desk):
    desk.write("A/cut.edl", edl("a.mp4", "b.mp4"))
    for name in ("a.mp4", "b.mp4", "sky.mp4", "listed.wav"):
        desk.write(f"A/{name}", name.encode() * 9)
    desk.write("B/cut.edl", edl("../A/a.mp4"))
    desk.write("loose.fcpxml", b'<clip src="A/sky.mp4"/>')
    catalog = desk.top / "list.csv"
    catalog.write_text(f"path\n{desk.place}/A/listed.wav\n")
    desk.ask("scan", desk.place)
    desk.ask("catalog", "add", "desk list", catalog)
    line = ["archive", desk.place / "A", "--to", desk.top, "--fold-original"]
    asked = desk.run(*line, answer="n\n")
    assert "Others use 3 files of" in asked.out + asked.err
    (made,) = desk.ask(*line, "--yes")["packages"]
    assert sorted(left(made)) == [
        ("a.mp4", f"{desk.place}/B uses it"),
        ("listed.wav", "the catalogue desk list uses it"),
        ("sky.mp4", f"{desk.place}/loose.fcpxml uses it"),
    ]
    assert sorted(path.name for path in (desk.place / "A").iterdir()) == ["a.mp4", "listed.wav", "sky.mp4"]
    assert desk.ask("unfold", "--last")["restored"] == 2
    desk.write("C/sealed.aaf", b"\0 who knows")
    desk.ask("scan")
    desk.ask(*line, "--yes")
    assert (desk.place / "A/b.mp4").exists()
    desk.ask(*line, "--yes", "--although-used")
    assert not (desk.place / "A").exists()
