"""Recipes, globs and manifests, and the sources that a plain search finds."""

import os
import re
import shutil
from pathlib import Path

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from foldkeep.find.references.project_references import Names
from foldkeep.model.recipes import Cookbook, Recipe
from harness.caches import cut
from harness.desks import TRUST, Desk, TrustingDesk, edit, left, on_a_terminal


@pytest.fixture
def desk(tmp_path: Path) -> Desk:
    """What a recipe's word is worth is asked in test_evidence.py; here all of them are trusted."""
    return TrustingDesk(tmp_path)


def test_versions_caps_projects_and_last_use(desk: Desk):
    day, now = 86_400, 1_750_000_000
    for project in ("march", "finale"):
        cut(desk, f"{project}/cut.edl")
        for version, age in (("1.9", 400), ("1.10", 300), ("2", 3)):
            path = desk.write(f"{project}/cache/v{version}/frames.bin", b"f" * 1000)
            os.utime(path, (now - age * day, now - 500 * day))
        desk.write(f"{project}/renders/plain.mov", b"r" * 10)
    desk.ask("scan", desk.place)

    def found(*words: str) -> list[str]:
        return [str(Path(each["path"]).relative_to(desk.place)) for each in desk.ask("caches", *words)["regenerable"]]

    assert found("--version", "1.9") == [f"{each}/cache/v1.9/frames.bin" for each in ("finale", "march")]
    old = ["finale/cache/v1.10/frames.bin", "finale/cache/v1.9/frames.bin"]
    assert found("--all-but-newest-version", "--project", "finale") == old
    assert found("--project", str(desk.place / "finale"), "--what", "render") == ["finale/renders/plain.mov"]
    # A cap counts what was used longest ago first, by reading as well as by writing.
    assert found("--cap", "4.1kB") == [f"{each}/cache/v1.9/frames.bin" for each in ("finale", "march")]
    assert found("--cap", "frame caches=5kB") == ["finale/cache/v1.9/frames.bin"]
    assert len(found("--cap", "0", "--cap", "frame caches=5kB")) == 8
    assert found("--cap", "1TB") == []
    assert len(found("--older-than", "1d")) == 8
    desk.write("march/fresh.txt")
    os.utime(desk.place / "march/cache/v2/frames.bin")
    assert found("--newer-than", "1d") == ["march/cache/v2/frames.bin"]
    for words, why in ((("--cap", "much"), "is not understood"), (("--cap", "cake=1kB"), "is no recipe"),
                       (("--project", "nobody"), "no project is called nobody")):  # fmt: skip
        answer = desk.run("caches", *words)
        assert (answer.status, why in answer.err, answer.err.count("\n")) == (2, True, 1)


def test_the_users_cache_folder_is_evidence_and_left_to_a_person(desk: Desk):
    from PIL import Image, PngImagePlugin

    shown = desk.write("kite.jpg", b"a picture")
    for name, master in (("here", shown), ("gone", desk.place / "gone.jpg")):
        said = PngImagePlugin.PngInfo()
        said.add_text("Thumb::URI", master.as_uri())
        path = desk.top / f"cache/thumbnails/normal/{name}.png"
        path.parent.mkdir(parents=True, exist_ok=True)
        Image.new("RGB", (4, 4)).save(path, pnginfo=said)
    (desk.top / "cache/player").mkdir()
    (desk.top / "cache/player/1.bin").write_bytes(b"cached")
    desk.ask("scan", desk.place, desk.top / "cache")
    found = desk.ask("caches")
    whats = {Path(each["path"]).name: (each["what"], each["evidence"]) for each in found["regenerable"]}
    assert whats == {
        "1.bin": ("cache", "it lies in the user's cache folder"),
        "here.png": ("thumbnail", "it is a thumbnail of the desktop"),
    }
    assert [Path(each["path"]).name for each in found["source_gone"]] == ["gone.png"]
    desk.ask("caches", "-o", desk.docket)
    rows = {line.split(",")[2].rpartition("/")[2]: line.split(",")[1] for line in desk.docket.read_text().splitlines()}
    assert (rows["1.bin"], rows["here.png"], rows["kite.jpg"], rows["gone.png"]) == ("leave", "fold", "keep", "leave")


@pytest.mark.parametrize(("glob", "taken", "passed"), [
    ("**/renders/**", "renders/a a/Renders/b/c a/renders/.x", "renders renders.txt/a arenders/b"),
    ("**/*_proxy.*", "a_proxy.mov b/c_PROXY.mp4", "a_proxy proxy.mov a_proxy.d/b"),
    ("cache/*/frame ??.bin", "cache/v1/frame 07.bin,CACHE/2/frame 1a.bin", "cache/frame 07.bin,cache/a/b/frame 07.bin"),
    ("**/logs/*.log", "logs/a.log x/logs/b.log", "logs/x/a.log log/a.log"),
    ("a.[b]", "a.[b]", "a.b x/a.[b]"),
    ("**", "a,b/c", "never.mind,x/never.x"),
])  # fmt: skip
def test_globs_of_recipes(glob: str, taken: str, passed: str):
    recipe = Recipe("r", "render", (glob,), "stem")
    # A recipe before it that takes by name must not keep it from the rest of a folder.
    book = Cookbook([Recipe("first", "log", ("**/never.*",), "stem"), recipe])

    def takes(path: str) -> Recipe | None:
        folder, slash, name = path.rpartition("/")
        shelf = book.of(folder + slash)
        found = shelf.takes(os.fsencode(name))
        by_name = found is not None and (found is not shelf.of_all or shelf.of_all.name == "first")
        for beside in ((), (b"nobody",), (b"nobody", b"x\xff")):
            assert shelf.takes_by_name([*beside, os.fsencode(name), *beside]) == by_name, path
        return found

    parts = "," if "," in taken else " "
    for path in taken.split(parts):
        assert takes(path) == recipe, path
    assert [path for path in passed.split(parts) if takes(path) == recipe] == []


@pytest.mark.parametrize("text", [
    "made.bin\t../kite.mp4\r\n", "made.bin,../kite.mp4,1920", '"made.bin" -> "../kite.mp4"', "made.bin = ../kite.mp4",
    '{"files": [{"cache": "made.bin", "source": "../kite.mp4", "frames": 12}]}', '{"made.bin": "../kite.mp4"}',
    "made.bin;URI",
])  # fmt: skip
def test_manifests_in_the_simple_forms_that_programs_write(desk: Desk, text: str):
    source = desk.write("day 1/kite.mp4", b"film")
    made = desk.write("day 1/converted media/made.bin", b"made")
    desk.write("day 1/converted media/stray.bin", b"nobody says what this is")
    desk.write("day 1/converted media/manifest.txt", text.replace("URI", source.as_uri()).encode())
    desk.ask("scan", desk.place)
    found = desk.ask("caches")
    assert [(each["path"], each["source"]["path"]) for each in found["regenerable"]] == [(str(made), str(source))]
    assert [Path(each["path"]).name for each in found["source_gone"]] == ["stray.bin"]
    desk.write("day 1/converted media/manifest.txt", b"{" * 100_000)
    desk.ask("scan", desk.place)
    assert desk.ask("caches")["regenerable"] == []


WORDS = st.text("ab1_. -é", min_size=1, max_size=5)


@settings(max_examples=60)
@given(names=st.sets(WORDS, max_size=8), text=st.text("ab1_. -é\n/%#", max_size=60))
def test_names_in_a_text_are_those_of_a_plain_search(names: set[str], text: str):
    def stands_alone(name: str) -> bool:
        places = [at for at in range(len(text)) if text.startswith(name, at)]
        before = [text[at - 1] if at else " " for at in places]
        after = [text[at + len(name) : at + len(name) + 1] for at in places]
        return any(not (b.isalnum() or b in "_-") and not a.isalnum() for b, a in zip(before, after, strict=True))

    found = Names(names).within(text)
    plain = {name for name in names if stands_alone(name)}
    assert plain <= found
    # What is found beyond that is one of a run of numbers: kite.### for kite.1
    assert all("#" in text and re.search(r"\d", name) for name in found - plain)


OWN = """[[recipe]]
name = "small ones"
what = "proxy"
files = ["**/small/**", "**/*_s.*"]
source = "stem"
marks = ["_s"]
folders = [".", "..", "../large", "project"]
kinds = ["video"]
"""


@settings(max_examples=40, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(
    files=st.sets(
        st.tuples(
            st.sampled_from(["", "p", "p/small", "p/deep", "p/deep/small", "p/large", "q/small", "q", "q/large"]),
            st.sampled_from(["a", "A", "b", "a_s", "b_s", "a_s_s", "_s"]),
            st.sampled_from([".mov", ".mp4", ".jpg", ".edl"]),
        ),
        max_size=14,
    )
)
def test_random_trees_have_the_sources_that_a_plain_search_finds(tmp_path_factory, files):
    desk = TrustingDesk(tmp_path_factory.mktemp("trees"))
    desk.trusted = ("small ones",)
    own = desk.top / "own.toml"
    own.write_text(OWN)
    for folder, stem, suffix in files:
        said = f"* FROM CLIP NAME: {folder} {stem}, which is not there\n" if suffix == ".edl" else f"{folder}{stem}"
        desk.write(f"{folder}/{stem}{suffix}", (said + suffix).encode(), 1_700_000_000)
    desk.ask("scan", desk.place)
    paths = [path.relative_to(desk.place) for path in desk.place.rglob("*") if path.is_file()]
    taken = {
        path for path in paths if path.suffix != ".edl" and ("small" in path.parts[:-1] or path.stem.endswith("_s"))
    }
    tops = {path.parent for path in paths if path.suffix == ".edl"}
    if any(top != Path() for top in tops):
        tops.discard(Path())

    def project(path: Path) -> Path | None:
        return next((folder for folder in reversed(path.parents) if folder in tops), None)

    def may_be(path: Path, source: Path) -> bool:
        stems = {path.stem.lower()}
        stems |= {path.stem.lower()[:-2]} if path.stem.lower().endswith("_s") and path.stem.lower() != "_s" else set()
        stems |= {path.stem.lower()[2:]} if path.stem.lower().startswith("_s") and path.stem.lower() != "_s" else set()
        here = path.parent
        folders = {here, Path(os.path.normpath(here / "..")), Path(os.path.normpath(here / "../large"))}
        is_near = source.parent in folders or (project(path) is not None and project(path) == project(source))
        return source.stem.lower() in stems and source.suffix in (".mov", ".mp4") and source not in taken and is_near

    found = desk.ask("caches", "--recipes", own)
    named = {True: found["regenerable"], False: found["source_gone"]}
    for is_there, entries in named.items():
        mine = {
            Path(each["path"]).relative_to(desk.place) for each in entries if each["evidence"].endswith("small ones")
        }
        assert mine == {path for path in taken if any(may_be(path, source) for source in paths) == is_there}
    for each in found["regenerable"]:
        path, source = (Path(each[key]).relative_to(desk.place) if key == "path" else
                        Path(each[key]["path"]).relative_to(desk.place) for key in ("path", "source"))  # fmt: skip
        assert not each["evidence"].endswith("small ones") or may_be(path, source)
    shutil.rmtree(desk.top)


def test_a_source_that_is_no_source_any_more_keeps_what_was_made_from_it(desk: Desk):
    clips = [desk.write(f"edit/clip{number}.mp4", b"original %d" % number) for number in range(4)]
    made = [desk.write(f"edit/proxies/clip{number}.mov", b"small %d" % number) for number in range(4)]
    copy = desk.write("backup of the card/clip3.mp4", b"original 3")
    desk.ask("scan", desk.place)
    desk.ask("caches", "-o", desk.docket)
    before = desk.docket.read_text()
    # A source that is to go itself vouches for nothing: one row cannot say both.
    lines = before.splitlines()
    source = next(line for line in lines if line.split(",")[2] == str(clips[3]))
    lines.append(source.replace(",keep,", ",fold,"))
    desk.docket.write_text("\n".join(lines) + "\n")
    both = desk.run("fold", desk.docket, "--yes")
    assert (both.status, "both staying and going" in both.err) == (2, True)
    desk.docket.write_text(before)
    clips[0].write_bytes(b"")
    clips[1].unlink()
    clips[1].mkdir()
    gone = desk.run("fold", desk.docket, "--yes")
    assert (gone.status, "made again from" in gone.err) == (2, True)
    clips[1].rmdir()
    clips[1].write_bytes(b"original 1")
    made[2].write_bytes(b"somebody drew on it")
    answer = desk.ask("fold", desk.docket, "--yes", "--method", "delete", "--for-good")
    reasons = dict(left(answer))
    assert reasons["clip0.mov"].startswith("what it is made from is empty")
    assert reasons["clip2.mov"].startswith("changed since the scan")
    assert (answer["folded"], [path.exists() for path in made]) == (2, [True, False, True, False])
    # One proxy does not vouch for another, whatever a person says of it in the docket.
    desk.write("edit/renders/a.mov", b"a")
    desk.write("edit/renders/b.mov", b"b")
    cut(desk)
    desk.ask("scan")
    desk.docket.unlink()
    desk.ask("caches", "--what", "render", "-o", desk.docket)
    edit(desk.docket, lambda row: None if row["kind"] == "project" else
         {**row, "action": "keep"} if row["path"].endswith("a.mov") else row)  # fmt: skip
    alone = desk.run("fold", desk.docket, "--yes")
    assert (alone.status, "keeps no copy in set" in alone.err) == (2, True)
    # The original is folded later, as a copy of another; what was made from it is released only while that is there.
    desk.write("edit/proxies/clip3.mov", b"small 3")
    desk.docket.unlink()
    desk.ask("scan")
    desk.ask("caches", "--name", "clip3.mov", "-o", desk.docket)
    assert desk.ask("fold", desk.docket, "--yes")["folded"] == 1
    keep = ["keep", "-o", desk.top / "copies.csv", "--give-up-under", desk.place / "edit"]
    desk.ask(*keep)
    assert desk.ask("fold", desk.top / "copies.csv", "--yes")["folded"] == 1
    kept = desk.ask("release", "2", "--yes")
    assert (kept["released"], copy.exists(), clips[3].exists()) == (0, True, False)
    assert "what it is made from is gone" in kept["left"][0]["reason"]


def test_on_a_narrow_terminal_and_with_the_users_cache_folder_in_no_place(desk: Desk):
    cut(desk, "a folder with a rather long name/edit of the highlights/highlights.edl")
    desk.write("a folder with a rather long name/edit of the highlights/renders/v3/a.mov", b"r" * 1000)
    desk.ask("scan", desk.place)
    (desk.top / "cache").mkdir()
    (desk.top / "cache/looks.bin").write_bytes(b"l" * 9000)
    variables = {**os.environ, "FOLDKEEP_STOCK": str(desk.stock), "XDG_CACHE_HOME": str(desk.top / "cache")}
    shown = re.sub(r"\x1b\[[0-9;?]*[A-Za-z]", "", on_a_terminal(["caches", *TRUST], variables))
    assert max(len(line) for line in shown.splitlines() if not line.startswith("  foldkeep ")) <= 80
    assert "edit of the" in shown
    assert "includes it: a scan of the folders above passes it by" in " ".join(shown.split())
    plain = desk.run("caches").out
    assert re.search(r"render +3 +1 +1\.00 kB +\d{4}-\d\d-\d\d +edit of the highlights +recipe preview renders", plain)


@pytest.mark.parametrize(("name", "source", "told"), [
    ("scrollbar_thumb.png", None, None),
    ("scrollbar_thumb.png", "scrollbar.png", "found"),
    ("page_thumb.js", "page.png", None),
    ("server-proxy.py", "server.mp4", None),
    ("server-proxy.py", None, None),
    ("titles_render.txt", "titles.mp4", None),
    ("thumbs/kite_thumb.dat", None, "gone"),
    ("kite_proxy.mp4", None, "gone"),
    ("house_render.png", None, "gone"),
    ("house_render.png", "house.mp4", "found"),
])  # fmt: skip
def test_a_mark_alone_tells_only_what_a_suffix_can_be(desk: Desk, name: str, source: str | None, told: str | None):
    desk.write(name, b"small")
    desk.write("other.txt", b"keeps the place from being empty")
    if source:
        desk.write(source, b"the original")
    desk.ask("scan", desk.place)
    found = desk.ask("caches")
    lists = {"found": found["regenerable"], "gone": found["source_gone"]}
    assert [key for key, files in lists.items() if files] == ([told] if told else [])
