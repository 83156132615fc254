"""Scans between changes, killed scans, and volumes: the stock answers what a fresh scan would."""

import json
import os
import random
import shutil
import signal
import subprocess
import time
from pathlib import Path

import pytest

import foldkeep.scan.clones as clones
from foldkeep.find.copies import duplicates
from foldkeep.model import Filter, Settings
from foldkeep.scan import add_place, presence, scan
from foldkeep.stock import Stock
from harness.desks import Desk, edit_quietly
from harness.drives import attached_drive, mounted
from harness.oracles import OneByOne, content, found_sets, oracle
from harness.points import Points, kill_at
from harness.scenes import small_picture

pytestmark = pytest.mark.on_disk

BLOCK = 16 * 1024
SIZES = (0, 3, 3, BLOCK, 2 * BLOCK, 2 * BLOCK + 1, 2 * BLOCK + 1, 3 * BLOCK)


class Garden:
    """A tree that changes, with a stock that is scanned again after each change."""

    def __init__(self, top: Path, seed: int) -> None:
        self.random = random.Random(seed)
        self.place = top / "place"
        self.place.mkdir(parents=True)
        self.stock = Stock.open(str(top / "stock"), create=True)
        self.fresh = top / "fresh"
        self.moment = time.time_ns() - 10**15
        for _ in range(self.random.randint(2, 9)):
            self.add()

    def files(self) -> list[Path]:
        return sorted(path for path in self.place.rglob("*") if path.is_file())

    def any(self) -> Path | None:
        return self.random.choice(self.files() or [None])

    def free(self) -> Path:
        folder = self.place / self.random.choice([".", "in", "in/deep", "out"])
        folder.mkdir(parents=True, exist_ok=True)
        return folder / f"{self.random.randrange(10**9)}.jpg"

    def body(self, size: int | None = None) -> bytes:
        chosen = self.random.choice(SIZES) if size is None else size
        return content(chosen, self.random.choice(["none", "none", "start", "middle", "end"]))

    def set_time(self, path: Path) -> None:
        self.moment += self.random.choice([1, 1000, 10**9])
        os.utime(path, ns=(self.moment, self.moment))

    def add(self) -> None:
        path = self.free()
        path.write_bytes(self.body())
        self.set_time(path)

    def delete(self) -> None:
        if path := self.any():
            path.unlink()

    def rename(self) -> None:
        if path := self.any():
            path.rename(path.with_name(f"{self.random.randrange(10**9)}.jpg"))

    def move(self) -> None:
        if path := self.any():
            path.rename(self.free())

    def move_folder(self) -> None:
        folder, new = self.place / "in", self.place / f"moved {self.random.randrange(10**9)}"
        if folder.exists():
            folder.rename(new)

    def rewrite_at_once(self) -> None:
        """Same size, now: the time of the file may be that of the scan before, to the tick of the clock."""
        if path := self.any():
            path.write_bytes(self.body(path.stat().st_size))

    def rewrite(self) -> None:
        if path := self.any():
            path.write_bytes(self.body(path.stat().st_size))
            self.set_time(path)

    def touch(self) -> None:
        if path := self.any():
            self.set_time(path)

    def truncate(self) -> None:
        if path := self.any():
            os.truncate(path, self.random.choice(SIZES))

    def swap(self) -> None:
        one, two = self.any(), self.any()
        if one and two and one != two:
            spare = self.place / "spare"
            one.rename(spare)
            two.rename(one)
            spare.rename(two)

    def link(self) -> None:
        one, two = self.any(), self.any()
        if one and two and one != two:
            two.unlink()
            os.link(one, two)

    def remove_folder(self) -> None:
        shutil.rmtree(self.place / "in", ignore_errors=True)

    CHANGES = (add, delete, rename, move, move_folder, rewrite, rewrite_at_once, touch, truncate, swap, link,
               remove_folder)  # fmt: skip

    def scan(self) -> object:
        with self.stock.hold("test"):
            place = add_place(self.stock, os.fsencode(self.place))
            report = scan(self.stock, [place], OneByOne())
        assert report.problems == []
        return self.answer(self.stock)

    def answer(self, stock: Stock) -> object:
        """Everything that a finder can learn of the place."""
        found = duplicates(stock)
        sets = [
            (one.id, one.digest, one.reclaimable, [(c.path, c.size, c.modified_ns, c.links) for c in one.copies])
            for one in found.sets()
        ]
        return stock.places.sizes(), stock.sets.empty_files(Filter()), sorted(sets)

    def fresh_answer(self) -> object:
        with Stock.open(str(self.fresh), create=True) as stock:
            place = add_place(stock, os.fsencode(self.place))
            scan(stock, [place], OneByOne())
            answer = self.answer(stock)
        for path in self.fresh.parent.glob("fresh*"):
            path.unlink()
        return answer

    def sets(self) -> set[frozenset[bytes]]:
        return {frozenset(copy.path for copy in one.copies) for one in duplicates(self.stock).sets()}


@pytest.mark.more
@pytest.mark.parametrize(
    "seeds", [range(20), pytest.param(range(20, 1020), marks=pytest.mark.long)], ids=["some", "many"]
)
def test_after_any_change_the_stock_answers_what_a_fresh_scan_would(tmp_path: Path, seeds: range):
    for seed in seeds:
        top = tmp_path / str(seed)
        garden = Garden(top, seed)
        garden.scan()
        for _ in range(6):
            for change in garden.random.choices(Garden.CHANGES, k=garden.random.randint(1, 3)):
                change(garden)
            assert garden.scan() == garden.fresh_answer(), seed
            assert garden.sets() == oracle(garden.place), seed
        garden.stock.__exit__(None, None, None)
        shutil.rmtree(top)


def test_what_was_moved_is_recognised_and_not_read_again(desk: Desk):
    for name in ("a", "b"):
        desk.write(f"old/{name}.mov", content(5 * BLOCK, "none"))
    desk.ask("scan", desk.place)
    (desk.place / "old").rename(desk.place / "new")
    (desk.place / "new/a.mov").rename(desk.place / "other.mov")
    answer = desk.ask("scan")
    assert (answer["moved"], answer["read_bytes"]) == (2, 0)
    assert found_sets(desk) == oracle(desk.place)


def test_one_new_copy_reads_only_the_new_one_also_in_another_place(desk: Desk):
    desk.write("a.mov", content(5 * BLOCK, "none"))
    desk.write("b.mov", content(5 * BLOCK, "none"))
    desk.ask("scan", desk.place)
    drive = desk.top / "drive"
    drive.mkdir()
    (drive / "c.mov").write_bytes(content(5 * BLOCK, "none"))
    (drive / "d.mov").write_bytes(b"alone" * 5)
    (desk.place / "e.mov").write_bytes(b"alone" * 5)
    desk.ask("scan")
    answer = desk.ask("scan", drive)
    # c: both ends and the whole; d, of which a size-sharer lies in a place that is not scanned now: both.
    assert (answer["hashed_files"], answer["read_bytes"]) == (3, 2 * BLOCK + 5 * BLOCK + 2 * 25)
    assert desk.ask("duplicates")["totals"] == {"sets": 2, "spares": 3, "reclaimable": 2 * 5 * BLOCK + 25}


@pytest.mark.more
def test_a_scan_killed_at_any_point_goes_on_where_it_was(desk: Desk, far: Path):
    for number in range(80):
        desk.write(f"{number:03}.mov", bytes([number // 2]) * (2_000_000 + number // 2))
    points = Points(lambda *_: None, looks=True)
    with points.armed():
        desk.ask("scan", desk.place, "--stock", far / "other")
    killed, midway = 0, 0
    for at in range(1, points.count, points.count // 20):
        child = os.fork()
        if child == 0:
            with Points(kill_at(at), looks=True).armed():
                desk.run("scan", desk.place)
            os._exit(0)
        killed += os.waitpid(child, 0)[1] == signal.SIGKILL
        with Stock.open(str(desk.stock), create=True) as stock:
            done = sum(len(one.copies) for one in duplicates(stock).sets())
            read = stock.contents.digested()
        answer = desk.ask("scan", desk.place)
        assert answer["hashed_files"] == 80 - read, "what was finished before is not read again"
        assert done <= read
        midway += 0 < read < 80
        assert desk.ask("duplicates")["totals"]["sets"] == 40
        for path in desk.stock.parent.glob("stock.sqlite3*"):
            path.unlink()
    assert killed > 15
    assert midway > 5


@pytest.mark.long
def test_a_folder_of_a_hundred_thousand_files(desk: Desk):
    for number in range(100_000):
        (desk.place / f"{number}.jpg").write_bytes(b"%d" % (number // 2))
    answer = desk.ask("scan", desk.place)
    assert answer["files"] == 100_000
    assert desk.ask("duplicates")["totals"]["sets"] == 50_000
    assert desk.ask("scan")["read_bytes"] == 0


@pytest.fixture
def drive(request, tmp_path: Path):
    """A drive of its own and where it is mounted: an image behind a loop device."""
    with attached_drive(tmp_path, getattr(request, "param", "ext4")) as found:
        clones._volume_shares.cache_clear()
        yield found


def test_a_volume_that_is_unmounted_is_away_and_one_mounted_below_is_passed_by(desk: Desk, drive):
    device, point = drive
    for folder in (desk.place, point):
        (folder / "kite.jpg").write_bytes(b"k" * 5000)
        os.utime(folder / "kite.jpg", (1_750_000_000, 1_750_000_000))
    desk.ask("scan", desk.place, point)
    volumes = {place["label"]: place["volume"]["key"] for place in desk.ask("places")["places"]}
    assert volumes["place"] != volumes["drive"]
    assert desk.ask("duplicates")["totals"]["reclaimable"] == 5000
    subprocess.run(["umount", point], check=True)
    assert {p["label"]: p["now"] for p in desk.ask("places")["places"]} == {"place": "here", "drive": "away"}
    assert desk.run("scan", "--json").status == 1
    assert "is away: the folder is there, but empty" in desk.run("scan", point).err
    assert "(away, on drive)" in desk.run("duplicates").out
    assert desk.ask("duplicates")["totals"]["sets"] == 1
    desk.docket.unlink(missing_ok=True)
    assert desk.ask("keep", "-o", desk.docket)["spares"] == 0
    assert mounted(device, str(point))
    assert desk.ask("scan")["read_bytes"] == 0
    # The same volume below a place: left out unless asked for, and then it is remembered.
    inside = desk.place / "mounted"
    inside.mkdir()
    assert mounted("--bind", str(point), str(inside))
    try:
        assert desk.ask("scan", desk.place)["files"] == 1
        assert desk.ask("scan", desk.place, "--cross-volumes")["files"] == 2
        assert desk.ask("scan", desk.place)["files"] == 2
        # Both ways to one file are names of one file: nothing more to gain.
        assert desk.ask("duplicates")["totals"]["spares"] == 1
        assert desk.ask("scan", inside)["files"] == 1
        assert len(desk.ask("places")["places"]) == 2, "a folder that is known under another path is that place"
    finally:
        subprocess.run(["umount", "-l", inside], check=True)
    assert desk.ask("scan", desk.place, "--no-cross-volumes")["files"] == 1


@pytest.mark.parametrize("drive", ["xfs", "btrfs"], indirect=True)
def test_clones_are_told_and_are_no_saving(desk: Desk, drive):
    _, point = drive
    (point / "a.mov").write_bytes(b"k" * 500_000)
    (point / "plain.mov").write_bytes(b"k" * 500_000)
    desk.ask("scan", point)
    assert desk.ask("duplicates")["totals"]["reclaimable"] == 500_000
    for name in ("b.mov", "c.mov"):
        subprocess.run(["cp", "--reflink=always", point / "a.mov", point / name], check=True)
    desk.ask("scan")
    # Three clones take the space of one; the plain copy, or all three, can come free.
    assert desk.ask("duplicates")["totals"] == {"sets": 1, "spares": 3, "reclaimable": 500_000}
    assert desk.run("duplicates").out.count("(clone)") == 3
    (point / "plain.mov").unlink()
    desk.ask("scan")
    assert desk.ask("duplicates")["totals"] == {"sets": 1, "spares": 2, "reclaimable": 0}
    assert desk.ask("keep", "-o", desk.docket)["reclaimable"] == 0


def test_memory_is_another_volume_than_the_disk(desk: Desk):
    shared = Path("/dev/shm")  # noqa: S108
    if not shared.is_dir() or shared.stat().st_dev == desk.top.stat().st_dev:
        pytest.skip("there is no other file system here")
    folder = shared / f"foldkeep-test-{os.getpid()}"
    folder.mkdir()
    try:
        for top in (desk.place, folder):
            (top / "kite.jpg").write_bytes(b"k" * 5000)
        desk.ask("scan", desk.place, folder)
        (one,) = desk.ask("duplicates")["sets"]
        assert len({place["volume"]["key"] for place in desk.ask("places")["places"]}) == 2
        assert one["reclaimable"] == 5000
        # Each is folded into the fold of its own volume.
        desk.proposed()
        assert desk.ask("fold", desk.docket, "--yes")["folded"] == 1
        assert desk.ask("unfold", "--last")["restored"] == 1
    finally:
        shutil.rmtree(folder)


def test_places_can_be_named_given_another_role_and_forgotten(desk: Desk):
    drive = desk.top / "drive" / "place"
    drive.mkdir(parents=True)
    for folder in (desk.place, drive):
        (folder / "kite.jpg").write_bytes(b"k" * 50)
    desk.ask("scan", desk.place, drive)
    assert [place["label"] for place in desk.ask("places")["places"]] == ["place-2", "place"]
    desk.ask("places", "place-2", "--role", "backup", "--label", "cupboard")
    assert "another place has the label cupboard" in desk.run("places", "place", "--label", "cupboard").err
    answer = desk.ask("duplicates")
    assert answer["totals"]["sets"] == 0
    assert answer["backed_up"] == {"contents": 1, "bytes": 50}
    desk.ask("places", "--forget", "cupboard")
    assert [place["path"] for place in desk.ask("places")["places"]] == [str(desk.place)]
    assert (drive / "kite.jpg").exists()
    with Stock.open(str(desk.stock)) as stock:
        assert presence(stock, stock.places.all()[0]) == "here"


def test_what_scans_pass_by_and_what_the_settings_change(desk: Desk):
    hidden, system, bundles = (
        ".hidden.jpg .trash/a.jpg",
        "Thumbs.db lost+found/a.jpg",
        "Show.app/a.jpg Sky.MyLibrary/a.jpg",
    )
    for name in f"{hidden} {system} {bundles} scratch/a.jpg a.tmp a.log big.mov a.kite a.jpg".split():
        desk.write(name, b"k" * (900 if name.startswith("big") else 9))
    answer = desk.ask("scan", desk.place)
    assert answer["files"] == 6
    assert answer["passed"] == {"hidden": 2, "system": 2, "bundles": 2}
    config = desk.top / "own" / "foldkeep" / "settings.toml"
    config.parent.mkdir(parents=True)
    config.write_text(
        '[scan]\nhidden = true\nignore_folders = ["scratch"]\nignore_names = ["*.TMP"]\nignore_suffixes = [".log"]\n'
        'largest = "500B"\nbundle_suffixes = ["app"]\n[kinds]\nkite = ["kite"]\nvideo = ["jpg"]\n'
    )
    variables = {"XDG_CONFIG_HOME": str(desk.top / "own")}
    answer = json.loads(desk.run("scan", "--json", **variables).out)
    assert answer["passed"] == {"system": 2, "bundles": 1, "ignored": 3, "size": 1}
    # .hidden.jpg, .trash/a.jpg, the library's, a.kite, a.jpg
    assert answer["files"] == 5
    with Stock.open(str(desk.stock)) as stock:
        found = [copy for one in duplicates(stock).sets() for copy in one.copies]
        kinds = {copy.path.rpartition(b".")[2]: copy.kind for copy in found}
    assert kinds == {b"jpg": "video", b"kite": "kite"}
    shown = json.loads(desk.run("settings", "--json", **variables).out)["settings"]
    assert shown["scan.hidden"] == {"value": "true", "from": "file"}
    assert shown["scan.smallest"] == {"value": "0", "from": "built in"}
    assert desk.ask("scan", desk.place, "--hidden", "--system", "--bundles")["files"] == 12
    assert desk.ask("scan", "--config", "/dev/null")["files"] == 12, "what was asked is remembered with the place"
    assert Settings().kind_of(b"a.jpg") == "photo"


@pytest.mark.parametrize(
    ("text", "line"),
    [
        ("[scan]\nhiden = true", "there is no key scan.hiden; did you mean hidden?"),
        ("[scn]", "there is no section [scn]; did you mean scan?"),
        ("[scan]\nhidden = 1", "scan.hidden = 1 is not understood; write true or false"),
        (
            "[scan]\nsmallest = 'ten'",
            "smallest = 'ten' is not understood: not a size: 'ten'; write one like 200MB",
        ),
        ("[scan]\nsmallest = true", "is not understood; write a size like '200MB' or a number of bytes"),
        ("[scan]\nignore_names = '*.tmp'", 'is not understood; write a list of words, like ["one", "two"]'),
        ("[colors]\nphotos = '#123456'", "colors: there is no kind photos; did you mean photo?"),
        ("[colors]\nphoto = 'blue'", "colors.photo = 'blue' is not understood; write a colour like '#aa3377'"),
        ("[kinds]\na = ['x']\nb = ['x']", "kinds: x is both a and b; give it one kind"),
        ("scan = 3", "scan is not a section; write [scan] on a line of its own"),
        ("[scan", "is not TOML: "),
        ("\xff", "is not TOML: "),
    ],
)
def test_a_slip_in_the_settings_is_one_clear_line(desk: Desk, text: str, line: str):
    file = desk.top / "mine.toml"
    file.write_bytes(text.encode("latin-1"))
    answer = desk.run("settings", "--config", file)
    assert (answer.status, answer.out, answer.err.count("\n")) == (2, "", 1)
    assert line in answer.err


@pytest.mark.usefixtures("known_volume")
@pytest.mark.parametrize("option", ["--read-all", "--check-media"])
def test_what_is_read_is_believed_before_what_was_remembered(tmp_path: Path, option: str):
    """Somebody writes into a file and puts its times back: a plain scan cannot know; one that reads it does."""
    desk = Desk(tmp_path)
    pictures = {name: small_picture(shade) for name, shade in (("old", 10), ("new", 200))}
    size = max(map(len, pictures.values()))
    old, new = (picture.ljust(size, b"\0") for picture in pictures.values())
    for name, body in (("a.jpg", old), ("b.jpg", old), ("c.jpg", new)):
        desk.write(name, body)
    os.link(desk.place / "a.jpg", desk.place / "a link.jpg")
    time.sleep(0.06)
    desk.ask("scan", desk.place, option)
    edit_quietly(desk.place / "a.jpg", new)
    time.sleep(0.06)
    assert desk.ask("scan")["rewritten"] == 0
    answer = desk.run("scan", desk.place, option)
    assert answer.status == 1
    assert answer.err.count("has another content than when it was read last") == 2  # under both its names
    names = [sorted(os.path.basename(copy["path"]) for copy in one["copies"]) for one in desk.ask("duplicates")["sets"]]
    assert names == [["a link.jpg", "a.jpg", "c.jpg"]]
    again = desk.ask("scan", desk.place, option)
    assert (again["rewritten"], again["hashed_files"]) == (0, 0)
