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

from .timing import Row, median, run, seconds

_ADDRESS = "tcp://127.0.0.1:18786"
_DASK = (sys.executable, "-P", "-m", "dask")
_TIMES = 3
MIB = 1024**2


def workers(folder: Path, foldkeep: str) -> Iterator[Row]:
    """Large files, small files and prints: this machine's own threads, one worker, and two."""
    works: list[tuple[str, Callable[[Path], None], str]] = [
        ("scan --cluster, 16 GB in 32 large files", _large, "scan files"),
        ("scan --cluster, 100,000 small files", _small, "scan files"),
        ("alike --cluster, prints of 400 photos of 12 megapixels", _photos, "alike"),
    ]
    for work, make, line in works:
        top = folder / work.split(",")[0].replace(" ", "") / make.__name__
        (top / "files").mkdir(parents=True)
        make(top / "files")
        run(f"{foldkeep} scan files --stock fresh", top)
        yield from _compared(work, top, foldkeep, line)
        run("rm -rf files", top)


def _compared(work: str, top: Path, foldkeep: str, line: str) -> Iterator[Row]:
    def forget() -> None:
        run("rm -rf stock*" + (" && cp fresh stock" if line == "alike" else ""), top)

    alone: dict[int, float] = {}
    for count in (0, 1, 2):
        with _fleet(top, count) as more:
            costs = []
            for _ in range(_TIMES):
                forget()
                costs.append(run(f"{foldkeep} {line} --stock stock --quiet{more}", top))
        alone[count] = median(costs).seconds
    yield (
        f"`{work}",
        f"{seconds(alone[2])} by two workers",
        f"{seconds(alone[1])} by one, {seconds(alone[0])} without",
        f"{alone[1] / alone[2]:.2f} times one worker, {alone[2] / alone[0]:.2f} of the time without",
        "≥ 1.6, ≤ 1.1",
    )


@contextmanager
def _fleet(top: Path, count: int) -> Iterator[str]:
    """Start so many workers of one thread, and give what is to be added to a command for them."""
    if not count:
        yield ""
        return
    port = _ADDRESS.rpartition(":")[2]
    lines = [("scheduler", "--host", "127.0.0.1", "--port", port, "--no-dashboard")]
    lines += [("worker", _ADDRESS, "--nthreads", "1", "--nworkers", "1", "--no-dashboard", "--no-nanny")] * count
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
