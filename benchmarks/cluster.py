"""Measures of workers of a distributed engine, beside this machine alone."""

import io
import os
import random
import shlex
import subprocess
import sys
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path

from PIL import Image

from foldkeep.engine import Cluster
from foldkeep.scan.pool import _jobs, _Readings
from foldkeep.scan.reading import Meter, read_ends
from foldkeep.scan.workers import in_turn
from foldkeep.stock import Reading

from .timing import Row, median, run, seconds

_ADDRESS = "tcp://127.0.0.1:18786"
_DASK = (sys.executable, "-P", "-m", "dask")
_TIMES = 3
MIB = 1024**2


def workers(folder: Path, foldkeep: str) -> Iterator[Row]:
    """Large files, small files and prints: this machine's own threads, one worker, and two."""
    works: list[tuple[str, Callable[[Path], None], str]] = [
        ("`scan --cluster`, 16 GB in 32 large files", _large, "scan files"),
        ("`scan --cluster`, 100,000 small files", _small, "scan files"),
        ("`alike --cluster`, prints of 400 photos of 12 megapixels", _photos, "alike"),
    ]
    for work, make, line in works:
        top = folder / make.__name__
        (top / "files").mkdir(parents=True)
        make(top / "files")
        run(f"{foldkeep} scan files --stock fresh", top)
        yield _compared(
            work, top, f"{foldkeep} {line} --stock stock --quiet", "cp fresh stock" if line == "alike" else "true"
        )
        if make is _large:
            yield _compared(
                "connecting: the same, nothing changed", top, f"{foldkeep} scan files --stock fresh --quiet", "true"
            )
        if make is _small:
            code = f"import benchmarks.cluster; benchmarks.cluster.read_small({os.fspath(top / 'files')!r})"
            line = f"PYTHONPATH={shlex.quote(os.getcwd())} {shlex.quote(sys.executable)} -c {shlex.quote(code)}"
            yield _compared(
                "these 100,000 read by workers, nothing walked or written", top, line, "true", counts=(1, 2)
            )
        run("rm -rf files", top)


def _compared(work: str, top: Path, line: str, before: str, counts: tuple[int, ...] = (0, 1, 2)) -> Row:
    alone: dict[int, float] = {}
    for count in counts:
        with _fleet(top, count) as more:
            costs = []
            for _ in range(_TIMES):
                run(f"rm -rf stock*; {before}", top)
                costs.append(run(line + (more if 0 in counts else ""), top))
        alone[count] = median(costs).seconds
    without = f", {seconds(alone[0])} without" if 0 in counts else ""
    of_it = f", {alone[2] / alone[0]:.2f} of the time without" if 0 in counts else ""
    return (
        work, f"{seconds(alone[2])} by two workers", f"{seconds(alone[1])} by one{without}",
        f"{alone[1] / alone[2]:.2f} times one worker{of_it}", "≥ 1.6, ≤ 1.1",
    )  # fmt: skip


def read_small(top: str) -> None:
    """Have workers read the files of folders, as a scan does."""
    files = [entry for folder in os.scandir(os.fsencode(top)) for entry in os.scandir(folder.path)]
    found = [(each.path, each.stat()) for each in files]
    readings = [
        Reading((number,), path, facts.st_size, facts.st_mtime_ns, facts.st_ino)
        for number, (path, facts) in enumerate(found)
    ]
    readings.sort(key=lambda each: -each.size)
    workers = Cluster(_ADDRESS)
    jobs = (_Readings(read_ends, job, Meter(), None) for job in _jobs(readings))
    assert sum(len(done.outcomes) for done in in_turn(workers, jobs, 1)) == len(files)
    workers.shutdown()


@contextmanager
def _fleet(top: Path, count: int) -> Iterator[str]:
    """Start so many workers of one thread, and give what is to be added to a command for them."""
    if not count:
        yield ""
        return
    port = _ADDRESS.rpartition(":")[2]
    lines = [("scheduler", "--host", "127.0.0.1", "--port", port, "--no-dashboard")]
    lines += [
        (
            "worker",
            _ADDRESS,
            "--nthreads",
            "1",
            "--nworkers",
            "1",
            "--no-dashboard",
            "--no-nanny",
            "--host",
            "127.0.0.1",
        )
    ] * count
    with open(os.devnull, "wb") as nothing:
        started = [subprocess.Popen([*_DASK, *line], cwd=top, stdout=nothing, stderr=nothing) for line in lines]
        try:
            time.sleep(8)
            yield f" --cluster {shlex.quote(_ADDRESS)}"
        finally:
            for process in started:
                process.kill()
                process.wait()


def _large(top: Path) -> None:
    block = random.Random(1).randbytes(MIB)
    for number in range(16):
        for copy in "ab":
            with open(top / f"{number}{copy}.mov", "wb") as file:
                for part in range(512):
                    file.write((number * 1000 + part).to_bytes(4, "big"))
                    file.write(block)


def _small(top: Path) -> None:
    choose = random.Random(1)
    pool = [choose.randbytes(choose.randint(500, 20_000)) for _ in range(500)]
    for number in range(50_000):
        for copy in "ab":
            place = top / f"{number % 100:02}{copy}"
            place.mkdir(exist_ok=True)
            (place / f"{number}.jpg").write_bytes(number.to_bytes(4, "big") + pool[number % 500])


def _photos(top: Path) -> None:
    choose = random.Random(1)
    for number in range(400):
        image = Image.frombytes("RGB", (40, 30), choose.randbytes(3600)).resize((4000, 3000), Image.Resampling.BICUBIC)
        stream = io.BytesIO()
        image.save(stream, "JPEG", quality=90)
        (top / f"WKD_{number:04}.jpg").write_bytes(stream.getvalue())
