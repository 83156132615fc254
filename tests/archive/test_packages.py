"""Packages that others made, that somebody damaged, or that would do harm."""

import hashlib
import inspect
import io
import json
import os
import random
import shutil
import stat
import sys
import tarfile
import zipfile
from collections.abc import Iterator
from pathlib import Path

import bagit
import pytest
import zstandard

from foldkeep.formats.packages import bagit as bags
from foldkeep.scan.packages import check_package
from foldkeep.storage.local.changes import take_away
from harness.desks import Desk, listing


def damages(bag: Path) -> Iterator[str]:
    """Damage a bag in one way after another; yield what was done, and mend it again."""
    info, manifest = bag / "bag-info.txt", bag / "manifest-sha256.txt"
    tags = bag / "tagmanifest-sha256.txt"
    whole = {path: path.read_bytes() for path in bag.rglob("*") if path.is_file()}
    line = manifest.read_text().splitlines()[0]
    payload = bag / line.split(None, 1)[1]

    def written(path: Path, text: bytes | str) -> None:
        path.parent.mkdir(exist_ok=True)
        path.write_bytes(text.encode() if isinstance(text, str) else text)

    def without_tags(path: Path, text: bytes | str) -> None:
        tags.unlink()
        written(path, text)

    declaration = "BagIt-Version: {}\nTag-File-Character-Encoding: {}\n"
    deeds = {
        "nothing": lambda: None,
        "a payload file changed": lambda: written(payload, payload.read_bytes()[:-1] + b"?"),
        "a payload file gone": payload.unlink,
        "a payload file more": lambda: written(bag / "data/new.txt", "new"),
        "a payload file longer": lambda: written(payload, payload.read_bytes() + b"."),
        "a tag file changed": lambda: written(info, info.read_text() + "Contact-Name: nobody\n"),
        "a tag file more": lambda: written(bag / "notes.txt", "new"),
        "a tag file gone": info.unlink,
        "no declaration": (bag / "bagit.txt").unlink,
        "no manifest": lambda: [tags.unlink(), manifest.unlink()],
        "no payload": lambda: shutil.rmtree(bag / "data"),
        "a wrong sum": lambda: without_tags(info, "Payload-Oxum: 1.1\n"),
        "no sum": lambda: without_tags(info, "Source: us\n"),
        "no tag": lambda: without_tags(info, "this is no tag\n"),
        "a folded tag": lambda: without_tags(info, "Source: us\n  and them\n"),
        "version 0.97": lambda: without_tags(bag / "bagit.txt", declaration.format("0.97", "UTF-8")),
        "version 0.93": lambda: without_tags(bag / "bagit.txt", declaration.format("0.93", "UTF-8")),
        "version 7": lambda: without_tags(bag / "bagit.txt", declaration.format("7.0", "UTF-8")),
        "version x": lambda: without_tags(bag / "bagit.txt", declaration.format("x", "UTF-8")),
        "no encoding": lambda: without_tags(bag / "bagit.txt", "BagIt-Version: 1.0\n"),
        "an unknown encoding": lambda: without_tags(bag / "bagit.txt", declaration.format("1.0", "kites")),
        "a byte order mark": lambda: without_tags(bag / "bagit.txt", "\ufeff" + declaration.format("1.0", "UTF-8")),
        "UTF-16": lambda: [without_tags(bag / "bagit.txt", declaration.format("1.0", "UTF-16")),
                           written(info, info.read_text().encode("utf-16")),
                           written(manifest, manifest.read_text().encode("utf-16"))],
        "twice alike": lambda: without_tags(manifest, manifest.read_text() + line + "\n"),
        "twice, other": lambda: without_tags(manifest, manifest.read_text() + "0" * 64 + line[64:] + "\n"),
        "in capitals": lambda: without_tags(manifest, line[:64].upper() + line[64:] + "\n"
                                            + "".join(manifest.read_text().splitlines(True)[1:])),
        "a star": lambda: without_tags(manifest, manifest.read_text().replace("  data", " *data")),
        "a comment": lambda: without_tags(manifest, "# made by hand\n\n" + manifest.read_text()),
        "leads out": lambda: without_tags(manifest, manifest.read_text() + "0" * 64 + "  data/../../etc\n"),
        "absolute": lambda: without_tags(manifest, manifest.read_text() + "0" * 64 + "  /etc/passwd\n"),
        "home": lambda: without_tags(manifest, manifest.read_text() + "0" * 64 + "  ~/kites\n"),
        "another manifest": lambda: without_tags(bag / "manifest-md5.txt", "".join(
            f"{hashlib.md5(path.read_bytes()).hexdigest()}  {path.relative_to(bag)}\n"  # noqa: S324
            for path in sorted((bag / "data").rglob("*")) if path.is_file())),
        "a short manifest more": lambda: without_tags(bag / "manifest-md5.txt", "0" * 32 + line[64:] + "\n"),
        "of an unknown kind": lambda: without_tags(bag / "manifest-crc.txt", "00 data/x\n"),
        "to be fetched": lambda: written(bag / "fetch.txt", f"http://kites.invalid/a 3 {line.split(None, 1)[1]}\n"),
        "fetched from nowhere": lambda: written(bag / "fetch.txt", f"a 3 {line.split(None, 1)[1]}\n"),
        "fetched to elsewhere": lambda: written(bag / "fetch.txt", "http://kites.invalid/a 3 ../a\n"),
    }  # fmt: skip
    for what, deed in deeds.items():
        deed()
        yield what
        shutil.rmtree(bag)
        for path, content in whole.items():
            path.parent.mkdir(parents=True, exist_ok=True)
            path.write_bytes(content)


def test_bags_that_others_made_and_somebody_damaged_get_the_same_verdicts(tmp_path: Path):
    top = tmp_path / "bag"
    (top / "day 1").mkdir(parents=True)
    for name in ("kite.jpg", "day 1/two words.txt", "day 1/e\u0301.txt", "~x", "a%20b"):
        (top / name).write_text(name * 50)
    bagit.make_bag(str(top), {"Source": "the media desk", "Source-Text": "kites\u00e9"}, checksums=["sha256"])
    verdicts = {}
    for what in damages(top):
        try:
            expected = bagit.Bag(str(top)).is_valid()
        except (bagit.BagError, UnicodeError, ValueError):
            expected = False
        found = check_package(os.fsencode(top))
        assert found.is_whole == expected, (what, found.problems)
        verdicts[what] = expected
    assert (sum(verdicts.values()), len(verdicts)) == (14, 37), verdicts


def tar_of(*members: tuple[tarfile.TarInfo, bytes]) -> bytes:
    stream = io.BytesIO()
    with tarfile.open(fileobj=stream, mode="w") as tar:
        for member, content in members:
            member.size = len(content) if member.isreg() else 0
            tar.addfile(member, io.BytesIO(content))
    return stream.getvalue()


def member(name: str, kind: bytes = tarfile.REGTYPE, link: str = "") -> tarfile.TarInfo:
    found = tarfile.TarInfo(name)
    found.type, found.linkname = kind, link
    return found


def zip_of(*members: tuple[str, bytes, int]) -> bytes:
    stream = io.BytesIO()
    with zipfile.ZipFile(stream, "w", zipfile.ZIP_DEFLATED, compresslevel=1) as packed:
        for name, content, mode in members:
            info = zipfile.ZipInfo(name)
            info.external_attr = mode << 16
            info.compress_type = zipfile.ZIP_DEFLATED
            packed.writestr(info, content, compresslevel=1)
    return stream.getvalue()


def sparse_claim() -> bytes:
    """A tar whose one file says it is a million gigabytes of holes."""
    stream = io.BytesIO()
    with tarfile.open(fileobj=stream, mode="w", format=tarfile.PAX_FORMAT) as tar:
        info = tarfile.TarInfo("p/data/holes")
        info.pax_headers = {"GNU.sparse.major": "1", "GNU.sparse.minor": "0", "GNU.sparse.name": "p/data/holes",
                            "GNU.sparse.realsize": str(10**15)}  # fmt: skip
        info.size = 512
        tar.addfile(info, io.BytesIO(b"1\n0\n0\n".ljust(512, b"\0")))
    return stream.getvalue()


def bomb() -> bytes:
    zeros = zstandard.ZstdCompressor(level=3)
    head = member("p/data/zeros")
    head.size = 9 * 2**27
    stream = io.BytesIO()
    with zeros.stream_writer(stream, closefd=False) as packed:
        packed.write(head.tobuf())
        for _ in range(head.size // 2**24):
            packed.write(bytes(2**24))
    return stream.getvalue()


MALICIOUS = {
    "climbing.tar": lambda: tar_of((member("p/bagit.txt"), b"x"), (member("p/data/../../../climbed"), b"x")),
    "absolute.tar": lambda: tar_of((member("/climbed"), b"x")),
    "link-out.tar": lambda: tar_of((member("p/data/x", tarfile.SYMTYPE, "/etc"), b""), (member("p/data/x/y"), b"x")),
    "hard-link.tar": lambda: tar_of((member("p/data/x", tarfile.LNKTYPE, "/etc/passwd"), b"")),
    "device.tar": lambda: tar_of((member("p/data/x", tarfile.CHRTYPE), b"")),
    "twice.tar": lambda: tar_of((member("p/data/x"), b"1"), (member("p/data/x"), b"2")),
    "file-and-folder.tar": lambda: tar_of((member("p/data/x"), b"1"), (member("p/data/x/y"), b"2")),
    "two-tops.tar": lambda: tar_of((member("p/data/x"), b"1"), (member("q/data/x"), b"2")),
    "cut.tar": lambda: tar_of((member("p/data/x"), bytes(100_000)))[:20_000],
    "sparse.tar": sparse_claim,
    "climbing.zip": lambda: zip_of(("p/data/../../../climbed", b"x", 0o644)),
    "drive.zip": lambda: zip_of(("C:\\climbed", b"x", 0o644)),
    "link.zip": lambda: zip_of(("p/data/x", b"/etc/passwd", stat.S_IFLNK | 0o777)),
    "twice.zip": lambda: zip_of(("p/data/x", b"1", 0o644), ("p/data/x", b"2", 0o644)),
    "bomb.zip": lambda: zip_of(("p/data/zeros", bytes(1_100_000_000), 0o644)),
    "bomb.tar.zst": bomb,
    "nonsense.tar": lambda: random.Random(1).randbytes(100_000),
    "nothing.zip": lambda: b"",
}


@pytest.mark.filterwarnings("ignore:Duplicate name")
@pytest.mark.parametrize("name", MALICIOUS)
def test_a_package_that_would_do_harm_is_refused(desk: Desk, name: str):
    package = desk.top / name
    package.write_bytes(MALICIOUS[name]())
    target = desk.top / "target"
    target.mkdir()
    before = listing(desk.top)
    refused = desk.run("restore", package, "--to", target)
    assert (refused.status, refused.err.count("\n")) == (2, 1), refused.err
    checked = desk.run("archive", "--check", package)
    assert (checked.status, "problem" in checked.out) == (1, True)
    assert (listing(desk.top), list(target.iterdir())) == (before, [])


LIES = {
    "climbs": ("path", "../../climbed"), "absolute": ("path", "/climbed"), "twice": ("path", "b.txt"),
    "below a file": ("path", "b.txt/c"), "another payload": ("payload", "../../../etc/passwd"),
    "unknown payload": ("payload", "data/none"), "smaller": ("size", 1), "negative": ("size", -1),
    "other content": ("digest", "blake3:" + "0" * 64), "odd": ("form", "device"),
}  # fmt: skip


@pytest.mark.parametrize("lie", LIES)
def test_a_listing_that_lies_brings_nothing_back(desk: Desk, lie: str):
    desk.write("edit/cut.edl", b"x")
    desk.write("edit/a.txt", b"aaa")
    desk.write("edit/b.txt", b"bbb")
    desk.ask("scan", desk.place)
    desk.ask("archive", desk.place / "edit", "--to", desk.top)
    package = desk.top / "edit"
    lines = (package / bags.LISTING).read_text().splitlines()
    at = next(number for number, line in enumerate(lines) if '"path": "a.txt"' in line)
    key, value = LIES[lie]
    lines[at] = json.dumps({**json.loads(lines[at]), key: value})
    (package / bags.LISTING).write_text("\n".join(lines) + "\n")
    target = desk.top / "target"
    target.mkdir()
    assert desk.run("restore", package, "--to", target).status == 2  # its manifest tells
    (package / "tagmanifest-sha512.txt").write_text(
        "".join(f"{hashlib.sha512(path.read_bytes()).hexdigest()}  {path.name}\n"
                for path in sorted(package.glob("*.*")) if not path.name.startswith("tagmanifest"))
    )  # fmt: skip
    before = listing(desk.top)
    refused = desk.run("restore", package, "--to", target)
    assert (refused.status, refused.err.count("\n")) == (2, 1), refused.err
    assert (listing(desk.top), list(target.iterdir())) == (before, [])


def test_a_bag_that_lacks_what_its_manifest_names_says_so_and_brings_nothing_back(desk: Desk):
    bag = desk.top / "bag"
    bag.mkdir()
    for name in "abc":
        (bag / f"{name}.jpg").write_bytes(name.encode())
    bagit.make_bag(str(bag), checksums=["sha256"])
    (bag / "data/b.jpg").unlink()
    (bag / "data/c.jpg").unlink()
    (bag / "fetch.txt").write_text("https://kites.invalid/c.jpg 1 data/c.jpg\n")
    (bag / "tagmanifest-sha256.txt").unlink()
    target = desk.top / "target"
    target.mkdir()
    before = listing(desk.top)
    for words in (["restore", bag, "--to", target], ["archive", "--check", bag]):
        answer = desk.run(*words)
        said = answer.out + answer.err
        assert (answer.status, "data/b.jpg: not there\n" in said) == (1, True), answer
        assert "data/c.jpg: not there; fetch.txt says it is to be had from https://kites.invalid/c.jpg" in said
    assert "Nothing was brought back: the package lacks 2 files that its manifest names; 1 file is there." in (
        desk.run("restore", bag, "--to", target).out
    )
    document = desk.ask("restore", bag, "--to", target)
    assert (document["folder"], len(document["problems"])) == (None, 2)
    assert (listing(desk.top), list(target.iterdir())) == (before, [])


def test_media_from_elsewhere_goes_back_only_where_it_may_and_only_when_that_was_seen(desk: Desk):
    for name in ("sound/march.wav", "far/drum.wav", "far/song.wav"):
        desk.write(name, name.encode() * 100)
    other = desk.top / "unknown/horn.wav"
    other.parent.mkdir()
    other.write_bytes(b"horn" * 100)
    names = ["../sound/march.wav", "../far/drum.wav", "../far/song.wav", str(other)]
    desk.write("edit/cut.edl", b"TITLE: cut\n" + b"".join(b"* SOURCE FILE: %s\n" % name.encode() for name in names))
    desk.ask("scan", desk.place)
    desk.ask("scan", other.parent)
    desk.ask("archive", desk.place / "edit", "--to", desk.top, "--format", "tar")
    desk.ask("places", "--forget", other.parent)
    before = {path: path.read_bytes() for path in [other, *desk.place.rglob("*.wav")]}
    for path in before:
        path.unlink()
    (desk.place / "far/song.wav").write_bytes(b"another song")
    (desk.place / "sound/march.wav").write_bytes(before[desk.place / "sound/march.wav"])
    back = desk.top / "back"
    back.mkdir()
    line = ["restore", desk.top / "edit.tar", "--to", back, "--outside-media-back"]
    refused = desk.run(*line)
    assert (refused.status, "add --yes" in refused.err, list(back.iterdir())) == (2, True, [])
    said = desk.run(*line, answer="n\n")
    assert (said.status, list(back.iterdir())) == (0, [])
    ways = {Path(each.split()[0]).name: each.split("B  ")[1] for each in said.out.splitlines() if ".wav " in each}
    assert ways == {
        "march.wav": "is there already", "drum.wav": "goes there", "song.wav": "gets a name beside another file",
        "horn.wav": "stays beside the project: it lies below no place that is known, and no folder that was named",
    }  # fmt: skip
    done = desk.run(*line, "--yes")
    assert (done.status, "stays beside the project" in done.err, other.exists()) == (1, True, False)
    assert (desk.place / "far/song-2.wav").read_bytes() == before[desk.place / "far/song.wav"]
    assert (desk.place / "far/song.wav").read_bytes() == b"another song"
    assert (desk.place / "far/drum.wav").read_bytes() == before[desk.place / "far/drum.wav"]
    left = back / "edit (outside media)"
    assert [path.name for path in left.rglob("*.wav")] == ["horn.wav"]
    assert desk.run(*line, "--yes", "--back-under", other.parent).status == 0
    assert other.read_bytes() == before[other]
    assert desk.run(*line[:-1], "--back-under", other.parent).status == 2


@pytest.mark.parametrize("form", [
    "folder", *(pytest.param(form, marks=pytest.mark.more) for form in ("tar", "tar.zst", "zip", "iso"))
])  # fmt: skip
def test_folders_in_each_other_to_any_depth(desk: Desk, form: str):
    """What recurs would end here at a depth of some hundred, as elsewhere at one of a thousand."""
    most = sys.getrecursionlimit()
    sys.setrecursionlimit(len(inspect.stack(0)) + 180)
    try:
        come_back_from_the_deep(desk, form)
    finally:
        sys.setrecursionlimit(most)


def come_back_from_the_deep(desk: Desk, form: str) -> None:
    deep = "d/" * 400
    desk.write("edit/cut.edl", b"x")
    for depth in range(1, 401):
        os.mkdir(desk.place / "edit" / deep[: 2 * depth])
    (desk.place / f"edit/{deep}a.txt").write_bytes(b"deep")
    (desk.place / f"edit/{deep}none").mkdir()
    desk.ask("scan", desk.place)
    (made,) = desk.ask("archive", desk.place / "edit", "--to", desk.top, "--format", form)["packages"]
    assert desk.run("archive", "--check", made["path"]).status == 0
    (desk.top / "back").mkdir()
    assert desk.run("restore", made["path"], "--to", desk.top / "back").status == 0
    assert (desk.top / f"back/edit/{deep}a.txt").read_bytes() == b"deep"
    assert (desk.top / f"back/edit/{deep}none").is_dir()
    for name in ("back", "edit", "place/edit"):
        take_away(os.fsencode(desk.top / name))
        assert not (desk.top / name).exists()


def test_rights_and_attributes_come_back_where_they_may(desk: Desk):
    tool = desk.write("edit/cut.edl", b"x")
    desk.write("edit/a.mp4", b"a")
    rules = bytes.fromhex("0200000001000600ffffffff02000600e803000004000400ffffffff10000600ffffffff20000400ffffffff")
    by_root = [("security.kite", b"may")] if os.geteuid() == 0 else []
    for name, value in (("user.kite", b"red"), ("system.posix_acl_access", rules), *by_root):
        os.setxattr(tool, name, value)
    os.setxattr(tool.parent, "user.day", b"1")
    desk.ask("scan", desk.place)
    (desk.top / "back").mkdir()
    for form in ("folder", "zip", "tar"):
        desk.ask("archive", tool.parent, "--to", desk.top, "--format", form)
    for number, (package, words) in enumerate([("edit", []), ("edit.zip", []), ("edit.tar", ["--special-modes"])], 1):
        answer = desk.ask("restore", desk.top / package, "--to", desk.top / "back", *words)
        assert (answer["lost"], answer["without_rights"]) == ({}, 0 if words else len(by_root))
        folder = desk.top / "back" / ("edit" if number == 1 else f"edit-{number}")
        there = {name: os.getxattr(folder / "cut.edl", name) for name in os.listxattr(folder / "cut.edl")}
        assert there == {"user.kite": b"red", "system.posix_acl_access": rules} | (dict(by_root) if words else {})
        assert os.getxattr(folder, "user.day") == b"1"
    with tarfile.open(desk.top / "edit.tar") as tar:
        assert tar.getmember("edit/data/edit/cut.edl").pax_headers["SCHILY.xattr.user.kite"] == "red"
    real = os.setxattr
    os.setxattr = lambda *_: (_ for _ in ()).throw(OSError(95, "not supported"))
    try:
        said = desk.run("restore", desk.top / "edit", "--to", desk.top / "back")
    finally:
        os.setxattr = real
    assert "Could not be given back here: " in said.out
    assert "user.kite of 1" in said.out
