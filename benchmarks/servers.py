"""Places on servers: looked into, and folded in, beside curl in a loop."""

import shlex
import subprocess
import sys
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from .timing import Row, in_turn, run, seconds

_CLOUD = """
import sys, time
from foldkeep.demo.cloud import Cloud, CloudOptions, Faults
with Cloud(sys.argv[1], CloudOptions(faults=Faults(latency=float(sys.argv[2])))) as cloud:
    print(cloud.url, flush=True)
    time.sleep(100_000)
"""


@contextmanager
def cloud(folder: Path, latency: float = 0.0) -> Iterator[str]:
    """Run a cloud in a process of its own; yield its address."""
    command = [sys.executable, "-c", _CLOUD, str(folder), str(latency)]
    process = subprocess.Popen(command, stdout=subprocess.PIPE, text=True)
    try:
        assert process.stdout is not None
        yield process.stdout.readline().strip()
    finally:
        process.kill()
        process.wait()


def make_files(folder: Path, count: int, folders: int, least: int) -> None:
    """Write files of as many sizes as there are files, the same each time."""
    for number in range(count):
        path = folder / f"day {number % folders:03}" / f"kite {number:05}.jpg"
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_bytes(number.to_bytes(4, "big") * 2 + b"k" * (least + number))


def measure(folder: Path, foldkeep: str) -> Iterator[Row]:
    """10,000 files listed, and listed again; 1,000 files folded by a server that takes 5 ms for each answer."""
    listed = folder / "listed"
    make_files(listed / "files", 10_000, 100, 100)
    with cloud(listed) as url:
        loop = f"for i in $(seq -f %03g 0 99); do curl -s -X PROPFIND -H 'Depth: 1' '{url}/day%20'$i/ -o $i.xml; done"
        (folder / "list.sh").write_text(loop)
        ours, theirs = in_turn(
            f"{foldkeep} scan {url} --stock one --quiet", "bash list.sh", folder,
            before=lambda: [path.unlink() for path in folder.glob("one*")],
        )  # fmt: skip
        ratio = f"{ours.seconds / theirs.seconds:.2f}"
        yield (
            "list 10,000 files on a server",
            seconds(ours.seconds),
            f"`curl` in a loop: {seconds(theirs.seconds)}",
            ratio,
            "≤ 6 s",
        )
        run(f"{foldkeep} scan {url} --stock one --quiet", folder)
        again = run(f"{foldkeep} scan --stock one --quiet", folder)
        yield ("the same again", seconds(again.seconds), "", "", "≤ 3 s")
    yield from _folds(folder, foldkeep)


def _folds(folder: Path, foldkeep: str) -> Iterator[Row]:
    work = folder / "folded"
    make_files(work / "files/spares", 1_000, 10, 20_000)
    make_files(folder / "keepers", 1_000, 10, 20_000)
    with cloud(work, 0.005) as url:
        stock = "--stock two --quiet"
        run(f"{foldkeep} scan keepers {stock}", folder)
        run(f"{foldkeep} scan {url} {stock}", folder)
        run(f"{foldkeep} places --separate keepers 127.0.0.1 {stock}", folder)
        run(f"{foldkeep} keep -o docket.csv --prefer place:keepers {stock}", folder)
        ours = run(f"{foldkeep} fold docket.csv --yes {stock}", folder)
        run(f"{foldkeep} unfold --last {stock}", folder)
        (folder / "naive.sh").write_text(_NAIVE.format(url=url))
        run(f"curl -s -X MKCOL {shlex.quote(url)}/away", folder)
        theirs = run("bash naive.sh", folder)
        ratio = f"{ours.seconds / theirs.seconds:.2f}"
        beside = f"`curl`, `cmp` and MOVE in a loop, no safety: {seconds(theirs.seconds)}"
        yield ("fold 1,000 files of 20 kB there, 5 ms an answer", seconds(ours.seconds), beside, ratio, "≤ 60 s")


_NAIVE = """
cd keepers
find . -type f | sed 's|^\\./||' | while read -r f; do
    p=$(printf %s "$f" | sed 's/ /%20/g')
    curl -s "{url}/spares/$p" | cmp -s - "$f" || exit 1
    to="{url}/away/$(basename "$p")"
    curl -s -X MOVE -H "Overwrite: F" -H "Destination: $to" "{url}/spares/$p" -o /dev/null || exit 1
done
"""
