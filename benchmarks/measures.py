"""The measures: each makes its data in a folder, runs, and yields rows of the table."""

import os
import random
import shlex
import shutil
import sys
from collections.abc import Callable, Iterator
from multiprocessing import Process
from pathlib import Path

from .cluster import workers
from .decisions import choosing, last_look, messes, sheets
from .fleet import inventories
from .scans import million_files, rescan
from .servers import measure as measure_servers
from .stocks import CATALOGUES, fill_stock, make_catalogues
from .timing import Row, compared, in_turn, run, seconds, words

FOLDKEEP = f"{shlex.quote(sys.executable)} -m foldkeep"
EMPTY_PYTHON = f"{shlex.quote(sys.executable)} -c pass"
SUMS = "find {} -type f -print0 | xargs -0 sha256sum | sort"
BLOCK = 16 * 1024
GIB = 1024**3


def start(folder: Path) -> Iterator[Row]:
    """How long commands take that have nothing to do, beside an empty Python."""
    (folder / "empty").mkdir()
    run(f"{FOLDKEEP} scan empty --stock stock", folder)
    for line, aim in (
        ("--help", "≤ 3"), ("--version", "≤ 3"), ("ledger --stock stock", "≤ 5"), ("duplicates --stock stock", "≤ 5"),
        ("completion --values places --stock stock", "≤ 5"),
    ):  # fmt: skip
        ours, theirs = in_turn(f"{FOLDKEEP} {line}", EMPTY_PYTHON, folder, times=15)
        yield compared(f"`foldkeep {line.removesuffix(' --stock stock')}`", ours, theirs, "`python -c pass`", aim)


def small_files(folder: Path) -> Iterator[Row]:
    """200,000 small files, half of them copies: the first scan, and one when nothing changed."""
    top = folder / "small"
    choose = random.Random(1)
    pool = [choose.randbytes(choose.randint(500, 20_000)) for _ in range(500)]
    for number in range(100_000):
        body = number.to_bytes(4, "big") + pool[number % 500]
        for copy in (0, 1):
            place = top / f"{number % 20:02}" / f"{number % 400:03}-{copy}"
            if number < 400:
                place.mkdir(parents=True, exist_ok=True)
            with open(place / f"IMG_{number:06}.jpg", "wb") as file:
                file.write(body)
    stock = folder / "stock"
    scan = f"{FOLDKEEP} scan small --stock {stock} --quiet"

    def forget() -> None:
        for path in folder.glob("stock*"):
            path.unlink()

    side_by_side = SUMS.format("small").replace("-0", "-0 -P2")
    ours, theirs = in_turn(scan, side_by_side, folder, before=forget)
    yield compared(
        "first scan, 200,000 small files, half of them copies", ours, theirs, "find, xargs -P2 sha256sum, sort", "≤ 0.9"
    )
    run(scan, folder)
    size = stock.stat().st_size / 200_000
    yield ("stock size, all of these files hashed", f"{size:.0f} bytes a file", "", "", "< 250")
    listing = "find small -printf '%p %s %T@ %i\\n'"
    ours, theirs = in_turn(scan, listing, folder, times=5)
    yield compared("scan again, nothing changed, 200,000 files", ours, theirs, "find -printf", "≤ 2.3")


def large_files(folder: Path) -> Iterator[Row]:
    """8 GB in 60 files: 20 are copies of one another in pairs, 20 share sizes only, 20 are alone."""
    top = folder / "large"
    top.mkdir()
    sizes = [8 * 10**9 // 60 + 4096 * number for number in range(40)]
    sharing = 0
    for number in range(60):
        pair, kind = number // 2, "copy" if number < 20 else "sharer" if number < 40 else "alone"
        size = sizes[pair] if kind != "alone" else sizes[number - 20]
        seed = pair if kind == "copy" else 1000 + number
        write_noise(top / f"{kind}-{number:02}.mov", size, seed)
        sharing += kind != "alone"
    copies = sum(path.stat().st_size for path in top.glob("copy-*"))
    least = copies + sharing * 2 * BLOCK
    stock = folder / "stock"
    scan = f"{FOLDKEEP} scan large --stock {stock} --json > answer.json"

    def cold() -> None:
        for path in folder.glob("stock*"):
            path.unlink()
        run("cat large/* > /dev/null", folder)  # warm for both: what a disk gives is not ours to measure

    ours, theirs = in_turn(scan, SUMS.format("large"), folder, before=cold)
    yield compared("first scan, 8 GB in 60 files, a third copies", ours, theirs, "find, sha256sum, sort", "≤ 0.35")
    read = json_of(folder / "answer.json")["read_bytes"]
    yield ("bytes read", f"{read:,}", f"{least:,} (the least possible)", f"{read / least:.3f}", "≤ 1.05")
    # Now all 60 files are copies: what is measured is reading and hashing 8 GB, start of the program included.
    for number, path in enumerate((*top.glob("sharer-*"), *top.glob("alone-*"))):
        path.unlink()
        shutil.copyfile(top / f"copy-{number % 20:02}.mov", top / f"copy-{number + 20:02}.mov")
    copies = sum(path.stat().st_size for path in top.glob("copy-*"))
    ours, theirs = in_turn(scan, "cat large/* > /dev/null", folder, before=cold, times=5)
    rate, cat = copies / ours.seconds, copies / theirs.seconds
    yield (
        f"scan of {copies / 1e9:.1f} GB of copies in 60 files, warm, start included",
        f"{rate / 1e9:.2f} GB/s",
        f"{cat / 1e9:.2f} GB/s (cat to /dev/null)",
        f"{rate / cat:.2f}",
        "≥ 0.5",
    )


def summary(folder: Path) -> Iterator[Row]:
    """The summary of `duplicates` on stocks of 50,000, 500,000 and 5,000,000 files."""
    before = None
    for count in (50_000, 500_000, 5_000_000):
        stock = folder / f"stock-{count}"
        fill_stock(str(stock), count)
        ours, theirs = in_turn(f"{FOLDKEEP} duplicates --top 20 --stock {stock}", EMPTY_PYTHON, folder)
        growth = f", {ours.seconds / before:.1f} times the one before" if before else ""
        before = ours.seconds
        yield (
            f"`duplicates`, overview and 20 sets, {count:,} files",
            f"{seconds(ours.seconds)}, {ours.memory / 1e6:.0f} MB{growth}",
            f"{seconds(theirs.seconds)} (`python -c pass`)",
            f"{ours.seconds / theirs.seconds:.0f}",
            "< 5 s, < 500 MB" if count == 5_000_000 else "",
        )
        ours = run(f"{FOLDKEEP} duplicates --folders --top 20 --stock {stock}", folder)
        yield (
            f"`duplicates --folders`, {count:,} files",
            words(ours),
            "",
            "",
            "",
        )


def looking(folder: Path) -> Iterator[Row]:
    """Looking at a stock of 1,000,000 files, and at inventories of 500,000."""
    fill_stock(str(folder / "stock"), 1_000_000)
    fill_stock(str(folder / "half"), 500_000)
    run(f"{FOLDKEEP} inventory save half.inventory --stock half --quiet", folder)
    shutil.copy(folder / "half.inventory", folder / "other.inventory")
    for work, line, aim in (
        ("`space`, 1,000,000 files", "space --stock stock", "< 3 s"),
        ("`space --by kind`, 1,000,000 files", "space --by kind --stock stock", "< 3 s"),
        ("`space --by suffix`, 1,000,000 files", "space --by suffix --stock stock", "< 3 s"),
        ("`space --treemap`, 1,000,000 files", "space --treemap map.png --stock stock", "< 10 s"),
        ("`list --sort size --top 20`, 1,000,000 files", "list --sort size --top 20 --stock stock", ""),
        ("`coverage`, 1,000,000 files", "coverage --stock stock", "< 3 s"),
        ("`coverage --fewer-than 2 --top 20`, the same", "coverage --fewer-than 2 --top 20 --stock stock", "< 3 s"),
        ("`inventory save`, 500,000 files", "inventory save new.inventory --stock half", "≤ 3 s"),
        ("`compare` of two inventories of 500,000 files", "compare half.inventory other.inventory --top 0", "≤ 4 s"),
        ("`space --inventory`, 500,000 files", "space --inventory half.inventory", "≤ 3 s"),
    ):
        ours, theirs = in_turn(f"{FOLDKEEP} {line}", EMPTY_PYTHON, folder)
        yield (
            work,
            words(ours),
            f"{seconds(theirs.seconds)} (`python -c pass`)",
            f"{ours.seconds / theirs.seconds:.0f}",
            aim,
        )
    size = (folder / "half.inventory").stat().st_size / 500_000
    yield ("inventory size", f"{size:.0f} bytes a file", "", "", "")


def folding(folder: Path) -> Iterator[Row]:
    """10,000 spares of 100 kB folded, beside cmp and mv in one Python loop without any safety."""
    choose = random.Random(1)
    bodies = [choose.randbytes(100_000) for _ in range(100)]

    def make() -> None:
        shutil.rmtree(folder / "work", ignore_errors=True)
        for side in ("keep", "spare copy"):
            (folder / "work" / side).mkdir(parents=True)
            for number in range(10_000):
                body = number.to_bytes(4, "big") + bodies[number % 100]
                (folder / "work" / side / f"{number}.jpg").write_bytes(body)
        (folder / "away").mkdir(exist_ok=True)
        shutil.rmtree(folder / "away")
        (folder / "away").mkdir()
        for path in (*folder.glob("stock*"), *folder.glob("docket*")):
            path.unlink()
        run(f"{FOLDKEEP} scan work --stock stock --quiet", folder)
        run(f"{FOLDKEEP} keep -o docket.csv --stock stock --quiet", folder)

    for script, what, aim in (
        (_COMMANDS_LOOP, "`cmp` and `mv` in one Python loop, no safety", "≤ 2"),
        (_INSIDE_LOOP, "`filecmp` and `os.rename` in one Python loop, no safety", ""),
    ):
        (folder / "naive.py").write_text(script)
        naive = f"{shlex.quote(sys.executable)} naive.py"
        ours, theirs = in_turn(f"{FOLDKEEP} fold docket.csv --yes --stock stock --quiet", naive, folder, before=make)
        yield compared("fold 10,000 spares of 100 kB", ours, theirs, what, aim)


_COMMANDS_LOOP = """\
import subprocess

for n in range(10_000):
    a, b = f"work/keep/{n}.jpg", f"work/spare copy/{n}.jpg"
    subprocess.run(["cmp", "-s", a, b], check=True)
    subprocess.run(["mv", b, f"away/{n}.jpg"], check=True)
"""
_INSIDE_LOOP = """\
import filecmp
import os

for n in range(10_000):
    a, b = f"work/keep/{n}.jpg", f"work/spare copy/{n}.jpg"
    assert filecmp.cmp(a, b, shallow=False)
    os.rename(b, f"away/{n}.jpg")
"""


def write_noise(path: Path, size: int, seed: int) -> None:
    """Write random bytes, the same for the same seed and size."""
    block = random.Random(seed).randbytes(1024 * 1024)
    with open(path, "wb") as file:
        for number in range(size // len(block) + 1):
            part = number.to_bytes(8, "big") + block[8:]
            file.write(part[: size - file.tell()])


def json_of(path: Path) -> dict:  # type: ignore[type-arg]
    """Return the document in a file."""
    import json

    return dict(json.loads(path.read_text()))


def catalogues(folder: Path) -> Iterator[Row]:
    """A catalogue of 19 of 20 files of 100,000, in each form, beside sorting and comparing two lists of paths."""
    # In a process of its own: a child begins with the peak memory of the process that starts it.
    making = Process(target=make_catalogues, args=(folder, 100_000))
    making.start()
    making.join()
    plain = "sort all.txt > a && sort known.list > k && comm -13 k a > unknown"
    for form in CATALOGUES:
        query = "--query 'select path from photos'" if form == "sqlite" else ""
        line = f"{FOLDKEEP} orphans --catalog {form}:known.{form} {query} --stock stock --json"
        ours, theirs = in_turn(line, plain, folder)
        yield (
            f"`orphans`, 95,000 entries of 100,000 files, {form}",
            words(ours),
            f"{seconds(theirs.seconds)} (`sort`, `sort`, `comm -13`)",
            f"{ours.seconds / theirs.seconds:.0f}",
            "≤ 3 s",
        )


def archiving(folder: Path) -> Iterator[Row]:
    """A project of 4 GB in 40 files, archived to a folder on the same disk, and checked."""
    media = folder / "library" / "edit" / "media"
    media.mkdir(parents=True)
    for number in range(40):
        write_noise(media / f"clip-{number:02}.mov", 100 * 10**6, number)
    (media.parent / "cut.edl").write_text("TITLE: cut\n001  AX  V  C  0 1 0 1\n* FROM CLIP NAME: clip-00.mov\n")
    run(f"{FOLDKEEP} scan library --stock stock --quiet", folder)
    run("mkdir out", folder)

    def clear() -> None:
        run("rm -rf out/* && sync && cat library/edit/media/* > /dev/null", folder)

    ours, theirs = in_turn(
        f"{FOLDKEEP} archive library/edit --to out --stock stock --quiet",
        "cp -a library/edit out/edit && find out/edit -type f -print0 | xargs -0 sha512sum > sums",
        folder, before=clear,
    )  # fmt: skip
    beside = "`cp -a`, `sha512sum` of the copy"
    yield compared("`archive` 4 GB to a folder, flushed and read back", ours, theirs, beside, "≤ 1.3")
    clear()
    run(f"{FOLDKEEP} archive library/edit --to out --stock stock --quiet", folder)

    def away() -> None:
        run("sync && cat out/edit/data/edit/media/* > /dev/null", folder)

    check, plain = (
        f"{FOLDKEEP} archive --check out/edit --stock stock --quiet",
        "cd out/edit && sha512sum -c manifest-sha512.txt",
    )
    ours, theirs = in_turn(f"taskset -c 0 {check}", f"taskset -c 0 sh -c '{plain}'", folder, before=away)
    yield compared("`archive --check` of it, one core", ours, theirs, "`sha512sum -c`", "≤ 1.2")
    ours, theirs = in_turn(check, plain, folder, before=away)
    yield compared("`archive --check` of it, two cores", ours, theirs, "`sha512sum -c`", "≤ 0.7")


def regenerable(folder: Path) -> Iterator[Row]:
    """A stock with 300,000 files that can be made again in 100 projects, and 50,000 that they are made from."""
    top = folder / "library"
    for project in range(100):
        parts = (("clips", "clip{:04}.mp4"), ("proxies", "clip{:04}_proxy.mp4"),
                 *((f"cache/v{version}", "{:05}.bin") for version in range(1, 6)))  # fmt: skip
        for part, name in parts:
            inside = top / f"p{project:03}" / part
            inside.mkdir(parents=True)
            for number in range(500):
                (inside / name.format(number)).write_bytes(b"%d %d %s" % (project, number, part.encode()))
        edl = top / f"p{project:03}" / "cut.edl"
        edl.write_text("TITLE: cut\n" + "".join(
            f"{number:03}  AX  V  C  0 1 0 1\n* FROM CLIP NAME: clip{number:04}.mp4\n" for number in range(100)
        ))  # fmt: skip
        os.utime(edl, (1_700_000_000,) * 2)
    run(f"{FOLDKEEP} scan library --stock stock --quiet", folder)
    plain = (
        "find library -path '*/cache/*' -printf '%p\\t%s\\t%A@\\n' -o -path '*/proxies/*' -printf '%p\\t%s\\t%A@\\n'"
    )
    for work, option, aim in (("", "", "≤ 2"), (" --unused", " --unused", "≤ 4"), (" -o", " -o docket.csv", "≤ 4")):
        ours, theirs = in_turn(f"rm -f docket.csv; {FOLDKEEP} caches{option} --stock stock --top 1", plain, folder)
        row = compared(f"`caches{work}`, 300,000 of 350,000 files", ours, theirs, "`find -printf`", aim)
        yield row


def safety(folder: Path) -> Iterator[Row]:
    """A card of 400 files looked for elsewhere, the library read again, and room planned on 1,000,000 files."""
    library, card = folder / "library", Path("/dev/shm/card")
    for top in (library, card):
        shutil.rmtree(top, ignore_errors=True)
        top.mkdir()
    for number in range(400):
        write_noise(card / f"WKD_{number:04}.jpg", 2_000_000, number)
        shutil.copy(card / f"WKD_{number:04}.jpg", library)
    run(f"{FOLDKEEP} scan library --read-all --stock one --quiet", folder)
    sums = "find . -type f -print0 | xargs -0 -P2 -n8 sha256sum | sort"
    theirs = f"bash -c 'comm -23 <(cd {card}; {sums}) <(cd library; {sums})'"
    ours, by_hand = in_turn(f"{FOLDKEEP} coverage {card} --stock one", theirs, folder)
    yield compared("`coverage` of a card of 400 files, 800 MB", ours, by_hand, "`sha256sum` of both, `comm`", "")
    run(f"bash -c '(cd library; {sums}) > sums'", folder)
    ours, by_hand = in_turn(f"{FOLDKEEP} fixity --stock one", "cd library && sha256sum -c --quiet ../sums", folder)
    yield compared("`fixity` of 400 files, 800 MB", ours, by_hand, "`sha256sum -c`", "")
    shutil.rmtree(card)
    fill_stock(str(folder / "stock"), 1_000_000, folder / "here")
    for size in ("1GB", "50GB"):
        ours = run(f"{FOLDKEEP} room {size} --stock stock", folder)
        yield (f"`room {size}`, 1,000,000 files, 96,750 sets", words(ours), "", "", "< 10 s")


MEASURES: dict[str, Callable[[Path], Iterator[Row]]] = {
    "start": start,
    "small-files": small_files,
    "large-files": large_files,
    "million-files": lambda folder: million_files(folder, FOLDKEEP),
    "rescan": lambda folder: rescan(folder, FOLDKEEP),
    "summary": summary,
    "folding": folding,
    "looking": looking,
    "catalogues": catalogues,
    "archiving": archiving,
    "regenerable": regenerable,
    "messes": messes,
    "safety": safety,
    "choosing": lambda folder: choosing(folder, FOLDKEEP),
    "sheets": lambda folder: sheets(folder, FOLDKEEP),
    "last-look": lambda folder: last_look(folder, FOLDKEEP),
    "fleet": lambda folder: inventories(folder, FOLDKEEP),
    "cluster": lambda folder: workers(folder, FOLDKEEP),
    "servers": lambda folder: measure_servers(folder, FOLDKEEP),
}
