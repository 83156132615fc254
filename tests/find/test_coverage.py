"""What lies where else: against set arithmetic; and whether a card may be given up, at every fault."""

import errno
import os
import random
import shutil
import subprocess
from collections import defaultdict
from pathlib import Path

import pytest

from foldkeep.model.disks import Disks
from foldkeep.model.names import path_from_uri
from foldkeep.stock import Stock
from harness.desks import Desk, left, listing, read_everything
from harness.disks import say_disks
from harness.litter import LITTER, NO_LITTER, previews
from harness.points import Points, befores

pytestmark = pytest.mark.on_disk

STANDINGS = ("once", "one volume", "several volumes")


@pytest.fixture(autouse=True)
def second_disk(far: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """Have what lies far lie on a disk of its own: memory, where it is, counts as none."""
    say_disks(monkeypatch, {far: "far"})


def libraries(desk: Desk, far: Path, seed: int) -> dict[str, Path]:
    """Fill places on two volumes, and a drive that goes into the cupboard, with contents drawn by a fixed seed."""
    drawn = random.Random(seed)
    tops = {"desk": desk.place, "shelf": desk.top / "shelf", "away": far / "away", "spare": far / "spare"}
    for number in range(60):
        content = b"content %d " % number * drawn.randint(1, 9)
        for name in drawn.sample(sorted(tops), drawn.randint(1, 3)):
            for copy in range(drawn.randint(1, 2)):
                path = tops[name] / f"{drawn.choice('ab')}/{number}-{copy}.{drawn.choice(['jpg', 'mov'])}"
                path.parent.mkdir(parents=True, exist_ok=True)
                path.write_bytes(content)
        if drawn.random() < 0.2:
            first = next(iter(sorted(tops["desk"].glob(f"*/{number}-0.*"))), None)
            if first:
                os.link(first, first.with_name(f"{number}-linked.jpg"))
    (desk.place / "a").mkdir(exist_ok=True)
    (desk.place / "a/empty.jpg").touch()
    return tops


def by_reading(volumes: dict[str, list[Path]]) -> dict[str, set[str]]:
    """Return of each content on which volumes it lies, and in how many files, by reading everything."""
    found = defaultdict(set)
    for volume, tops in volumes.items():
        for top in tops:
            for _, digest, facts in read_everything(os.fsencode(top)):
                if facts.st_size:
                    found[digest].add((volume, facts.st_dev, facts.st_ino))
    return found


@pytest.mark.parametrize("seed", range(4))
def test_the_overview_is_what_set_arithmetic_says(desk, far, seed):
    tops = libraries(desk, far, seed)
    desk.ask("scan", tops["away"], "--read-all")
    # The drive in the cupboard is on a disk of its own, on that of the spare one, or has no number that tells.
    for disk in ("cupboard", "far", ""):
        with Stock.open(desk.stock) as stock, stock.transaction():
            (away,) = stock.places.all()
            stock.places.set_disks(away.volume, Disks(frozenset({f"id:{disk}", "at:8:1"} - {"id:"})))
        desk.ask("inventory", "save", desk.top / f"away{disk}.inventory", "away")
    desk.ask("places", "--forget", "away")
    desk.ask("scan", tops["desk"], "--read-all")
    desk.ask("scan", tops["shelf"], "--read-all", "--role", "archive")
    desk.ask("scan", tops["spare"], "--read-all", "--role", "backup")
    ours = {"here": [tops["desk"], tops["shelf"]], "there": [tops["spare"]]}
    shelf = ours | {"cupboard": [tops["away"]]}
    for disk in (None, "cupboard", "far", ""):
        more = () if disk is None else ("--with-inventory", desk.top / f"away{disk}.inventory")
        volumes = shelf if more else ours
        disks = {"here": {"inner"}, "there": {"far"}, "cupboard": {disk} - {""}}
        holders = by_reading(ours)
        if more:
            for digest, files in by_reading({"cupboard": [tops["away"]]}).items():
                if digest in holders:
                    holders[digest] |= files
        counts = dict.fromkeys(STANDINGS, 0)
        for files in holders.values():
            on = {volume for volume, *_ in files}
            counts["several volumes" if len(on) > 1 else "one volume" if len(files) > 1 else "once"] += 1
        answer = desk.ask("coverage", *more)
        assert {each: answer["standings"][each]["contents"] for each in STANDINGS} == counts, volumes
        assert answer["contents"] == len(holders)
        by_disks = answer["disks"]
        apart = {d: len(set[str]().union(*(disks[v] for v, *_ in files))) > 1 for d, files in holders.items()}
        unknown = {d for d, files in holders.items() if not apart[d] and not all(disks[v] for v, *_ in files)}
        assert by_disks["several disks"]["contents"] == sum(apart.values())
        assert by_disks["not known"]["contents"] == len(unknown)
        for word, number in (("--fewer-than", 2), ("--at-least", 2)):
            listed = desk.ask("coverage", word, str(number), *more)["listed"]
            wanted = {d for d in holders if apart[d] != (word == "--fewer-than")}
            assert {sha_of(each) for each in listed} == wanted
    on_backup = {digest for digest, files in by_reading(ours).items() if "there" in {v for v, *_ in files}}
    missing = desk.ask("coverage", "--on", "backup")["listed"]
    assert {sha_of(each) for each in missing} == by_reading(ours).keys() - on_backup
    packed = {digest for _, digest, facts in read_everything(os.fsencode(tops["desk"] / "a")) if facts.st_size}
    assert desk.run("archive", tops["desk"] / "a", "--to", far, "--inside", tops["desk"], "--yes").status == 0
    now = desk.ask("coverage")
    assert now["packages"]["contents"] == len(packed)
    several = {d for d, files in by_reading(ours).items() if len({v for v, *_ in files}) > 1}
    # It lies beside the spare drive, on the same volume.
    assert now["standings"]["several volumes"]["contents"] == len(several | packed)


def sha_of(listed: dict) -> str:
    from hashlib import sha256

    return sha256(Path(os.fsdecode(path_from_uri(listed["files"][0]["uri"]))).read_bytes()).hexdigest()


@pytest.fixture
def card(far) -> Path:
    """A card with pictures, a sidecar, a voice note, a hidden file, system litter and an empty file."""
    top = far / "card"
    for number in range(3):
        (top / f"DCIM/10{number}").mkdir(parents=True)
        (top / f"DCIM/10{number}/IMG_{number}.jpg").write_bytes(b"picture %d" % number * 5000)
        (top / f"DCIM/10{number}/IMG_{number}.xmp").write_bytes(b"said of %d" % number)
        (top / f"DCIM/10{number}/IMG_{number}.wav").write_bytes(b"voice %d" % number * 300)
    (top / ".note.txt").write_bytes(b"hidden words")
    (top / "DCIM/empty.jpg").touch()
    (top / "DCIM/Thumbs.db").write_bytes(previews())
    return top


def taken_in(desk: Desk, card: Path) -> None:
    shutil.copytree(card / "DCIM", desk.place / "shoot", dirs_exist_ok=True)
    (desk.place / "note.txt").write_bytes(b"hidden words")
    desk.ask("scan", desk.place)


def test_a_card_is_safe_only_when_each_content_was_read_on_another_volume(desk, far, card):
    taken_in(desk, card)
    answer = desk.run("coverage", card, "--json")
    found = answer.json
    assert (answer.status, found["safe"], found["files"], found["missing"]) == (0, True, 10, [])
    assert (found["empty_files"], found["passed"], found["problems"]) == (1, 1, [])
    assert (found["disk"], found["disks"]) == ("far", ["inner"])
    assert "All 10 files" in desk.run("coverage", card).out
    quick = desk.run("coverage", card, "--trust-stock", "--json")
    assert (quick.status, quick.json["safe"]) == (1, None)
    # The library has a file of that name, size and time, and another content.
    rotten = desk.place / "shoot/101/IMG_1.jpg"
    facts = rotten.stat()
    rotten.write_bytes(b"picture 7" * 5000)
    os.utime(rotten, ns=(facts.st_atime_ns, facts.st_mtime_ns))
    answer = desk.run("coverage", card, "--json")
    assert (answer.status, answer.json["safe"]) == (1, False)
    assert [Path(each["path"]).name for each in answer.json["missing"]] == ["IMG_1.jpg"]
    assert desk.run("coverage", card, "--at-least", "2", "--json").json["covered"] == 0
    assert desk.run("coverage", card, "--on", "backup", "--json").json["covered"] == 0


def in_the_fold(desk: Desk, card: Path) -> None:
    desk.write("shoot/another.jpg", b"picture 1" * 5000)
    desk.proposed()
    assert desk.ask("fold", desk.docket, "--yes")["folded"] == 1
    (desk.place / "shoot/101/IMG_1.jpg").unlink(missing_ok=True)
    (desk.place / "shoot/another.jpg").unlink(missing_ok=True)
    desk.ask("scan", desk.place)


@pytest.mark.parametrize(
    ("change", "why"),
    [
        ("nothing there", "nowhere else"),
        ("in a bin", "in a bin"),
        ("in the fold", "in the fold of run 1"),
        ("on its own disk", "on its own disk"),
        ("in a package", "in the package"),
        ("changed since", "nowhere else"),
    ],
)
def test_what_nobody_read_on_another_volume_does_not_count_and_is_told_apart(desk, far, card, change, why):
    taken_in(desk, card)
    at = desk.place / "shoot/101/IMG_1.jpg"
    if change == "in a package":
        assert desk.run("archive", desk.place / "shoot", "--to", desk.top, "--inside", desk.place, "--yes").status == 0
    if change == "in the fold":
        in_the_fold(desk, card)
    at.unlink(missing_ok=True)
    if change == "in a bin":
        bin_ = desk.place / ".Trash-1000/files/IMG_1.jpg"
        bin_.parent.mkdir(parents=True)
        shutil.copy2(card / "DCIM/101/IMG_1.jpg", bin_)
        desk.ask("scan", desk.place, "--hidden", "--system", "--read-all")
    if change == "on its own disk":
        shutil.copytree(card / "DCIM/101", far / "second")
        desk.ask("scan", far / "second", "--read-all")
    if change == "changed since":
        at.write_bytes(b"picture 9" * 5000)
    answer = desk.run("coverage", card, "--json")
    assert (answer.status, answer.json["safe"]) == (1, False)
    (missing,) = answer.json["missing"]
    assert missing["path"].endswith("IMG_1.jpg")
    assert why in missing["reason"]
    assert desk.run("coverage", card, "--trust-stock").status == 1


@pytest.mark.parametrize("view", ["bindfs", "bind"])
def test_a_card_seen_through_another_mount_is_no_second_volume(desk, far, card, view):
    seen = desk.top / "seen"
    seen.mkdir()
    line = ["bindfs", "--no-allow-other", card, seen] if view == "bindfs" else ["mount", "--bind", card, seen]
    if not shutil.which(line[0]) or subprocess.run(line, capture_output=True, check=False).returncode:
        pytest.skip(f"{line[0]} is not to be had here")
    try:
        desk.ask("scan", seen, "--read-all", "--hidden")
        answer = desk.run("coverage", card, "--json")
        assert (answer.status, answer.json["safe"], answer.json["covered"]) == (1, False, 0)
    finally:
        subprocess.run(["umount", seen], check=False)


def test_at_no_fault_is_a_card_called_safe_that_could_not_be_read(desk, far, card):
    taken_in(desk, card)
    desk.ask("coverage", card)
    points = Points(lambda *_: None, looks=True)
    with points.armed():
        assert desk.ask("coverage", card)["safe"]
    numbers = [
        n for n in befores(points.site) if points.site[n - 1][0].startswith(("scan/cards", "scan/walk", "storage"))
    ]
    assert len(numbers) > 100
    for number in numbers[::3]:

        def pulled(at: int, *_: str, number: int = number) -> None:
            """The card goes, midway; what was read of it was read."""
            if at == number:
                shutil.move(card, far / "pulled")

        with Points(pulled, looks=True).armed():
            answer = desk.run("coverage", card, "--json")
        if card.exists():
            continue  # two threads read; this time there were fewer points
        shutil.move(far / "pulled", card)
        assert (answer.status, answer.out and answer.json["safe"]) in ((1, False), (2, "")), points.site[number - 1]


def test_what_is_missing_is_copied_read_back_and_taken_away_again_while_it_stands_elsewhere(desk, far, card):
    desk.write("shoot/kept.jpg", b"picture 0" * 5000)
    desk.ask("scan", desk.place, "--hidden")
    before = listing(desk.place)
    into = desk.place / "from card"
    into.mkdir()
    assert desk.run("coverage", card, "-o", desk.docket).status == 1
    for words in (["review", desk.docket], ["sheet", desk.docket], ["fold", desk.docket, "--yes", "--method", "bin"]):
        refused = desk.run(*words)
        assert (refused.status, "--method copy" in refused.err) == (2, True)
    refused = desk.run("fold", desk.docket, "--yes")
    assert refused.status == 2
    assert "--method copy" in refused.err
    assert listing(desk.place) == before
    elsewhere = desk.run("fold", desk.docket, "--yes", "--method", "copy", "--to", far)
    assert elsewhere.status == 2
    assert "scan it first" in elsewhere.err
    (into / "DCIM/101").mkdir(parents=True)
    (into / "DCIM/101/IMG_1.jpg").write_bytes(b"somebody's own")
    (into / "DCIM/102").mkdir(parents=True)
    shutil.copy2(card / "DCIM/102/IMG_2.wav", into / "DCIM/102")
    answer = desk.ask("fold", desk.docket, "--yes", "--method", "copy", "--to", into, "--below", card)
    assert (answer["folded"], left(answer)) == (8, [("IMG_2.wav", "lies there already, with the same content")])
    assert (into / "DCIM/101/IMG_1.jpg").read_bytes() == b"somebody's own"
    assert (into / "DCIM/101/IMG_1-2.jpg").read_bytes() == (card / "DCIM/101/IMG_1.jpg").read_bytes()
    assert (into / "DCIM/102/IMG_2.jpg").stat().st_mtime_ns == (card / "DCIM/102/IMG_2.jpg").stat().st_mtime_ns
    desk.ask("scan", desk.place)
    assert desk.ask("coverage", card)["safe"]
    # One was edited since, one has become the only file with its content.
    (into / "DCIM/100/IMG_0.xmp").write_bytes(b"edited now")
    (card / "DCIM/102/IMG_2.jpg").unlink()
    back = desk.ask("unfold", "1")
    assert back["restored"] == 6
    assert {name for name, _ in left(back)} == {"IMG_0.xmp", "IMG_2.jpg"}
    assert {path.name for path in into.glob("**/*") if path.is_file()} == {
        "IMG_0.xmp", "IMG_2.jpg", "IMG_1.jpg", "IMG_2.wav",
    }  # fmt: skip
    assert {path: facts for path, facts in listing(desk.place).items() if b"from card" not in path} == before


def test_what_else_lies_on_a_card_makes_it_unsafe(desk, far, card):
    taken_in(desk, card)
    assert desk.ask("coverage", card)["safe"]
    waiting = card / ".foldkeep/20260101T000000Z-00000000/files"
    waiting.mkdir(parents=True)
    assert desk.ask("coverage", card)["safe"]  # an empty fold has nothing
    (waiting / "000001.jpg").write_bytes(b"folded")
    answer = desk.run("coverage", card, "--json")
    assert (answer.status, answer.json["safe"], answer.json["in_folds"]) == (1, False, 1)
    assert answer.json["missing"][0]["path"].endswith("000001.jpg")
    shutil.copy2(waiting / "000001.jpg", desk.place)
    desk.ask("scan", desk.place)
    assert desk.ask("coverage", card)["safe"]  # it waits there, and lies elsewhere too
    shutil.rmtree(card / ".foldkeep")
    inside = card / "mounted"
    inside.mkdir()
    if subprocess.run(["mount", "-t", "tmpfs", "tmpfs", inside], capture_output=True, check=False).returncode == 0:
        try:
            answer = desk.run("coverage", card, "--json")
            assert (answer.json["safe"], answer.json["problems"][0]["reason"]) == (
                False, "is another volume; ask for it by itself",
            )  # fmt: skip
        finally:
            subprocess.run(["umount", inside], check=True)
    for path in sorted(card.rglob("*"), reverse=True):
        path.rmdir() if path.is_dir() and not path.is_symlink() else path.unlink()
    empty = desk.run("coverage", card, "--json")  # a drive that is not mounted looks so
    assert (empty.status, empty.json["safe"], empty.json["files"]) == (1, False, 0)


def test_a_file_that_cannot_be_read_is_never_safe(desk, far, card, monkeypatch):
    import foldkeep.scan.cards as cards

    taken_in(desk, card)
    real, failing = cards.digest_of, card

    def digest_of(descriptor: int, size: int) -> tuple[bytes, int]:
        if os.readlink(f"/proc/self/fd/{descriptor}").startswith(str(failing)):
            raise OSError(errno.EIO, os.strerror(errno.EIO))
        return real(descriptor, size)

    monkeypatch.setattr(cards, "digest_of", digest_of)
    failures = {card: "cannot be read: input", desk.place / "shoot": "may have its content, and cannot be read"}
    for top, why in failures.items():
        failing = next(path for path in top.rglob("101"))
        answer = desk.run("coverage", card, "--json")
        assert (answer.status, answer.json["safe"], len(answer.json["missing"])) == (1, False, 3)
        assert all(why in each["reason"] for each in answer.json["missing"])


def test_litter_is_told_apart_by_its_content_and_nothing_is_passed_by_for_its_name(desk, far, card):
    taken_in(desk, card)
    for name, content in LITTER.items():
        path = card / name
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_bytes(content)
    run = card / ".foldkeep/20260101T000000Z-00000000"
    (run / "files").mkdir(parents=True)
    (run / "journal-2.jsonl").write_bytes(b'{"journal":2,"run":"k","method":"fold"}\n{"done":"waiting","n":1}\n   ')
    (card / ".foldkeep/lock").write_bytes(b"")
    found = desk.ask("coverage", card)
    assert (found["safe"], found["passed"], found["missing"]) == (True, len(LITTER) + 1, [])
    shutil.rmtree(card / ".foldkeep")
    for name, content in NO_LITTER.items():
        path = card / name
        path.parent.mkdir(parents=True, exist_ok=True)
        kept = path.read_bytes() if path.exists() else None
        path.write_bytes(content)
        answer = desk.run("coverage", card, "--json")
        assert (answer.status, answer.json["safe"]) == (1, False), name
        assert [each["path"] for each in answer.json["missing"]] == [str(path)], name
        path.unlink() if kept is None else path.write_bytes(kept)
