"""Random chains of doors and steps, until stopped: `make soak`, or `python tests/soak.py GROUND SECONDS SEED`.

A seed is printed with each chain that loses something, and what was walked at the end.
"""

import random
import shutil
import sys
import tempfile
import time
from contextlib import ExitStack
from itertools import count
from pathlib import Path

import pytest

from harness.chains import drawn, walked
from harness.drives import KINDS, Drive


def soak(ground: str, seconds: float, seed: int) -> int:
    """Walk chains on a file system until the time is up; return how many failed."""
    end, failed, rounds = time.monotonic() + seconds, 0, 0
    with tempfile.TemporaryDirectory() as above, ExitStack() as opened:
        top = Path(above)
        if ground != "here":
            drive = Drive(top, *KINDS[ground])
            opened.callback(drive.close)
            top = drive.point
        try:
            for number in count(seed):
                if time.monotonic() > end:
                    break
                choose = random.Random(number)
                names = drawn(choose, choose.randint(3, 8))
                rounds += 1
                desk, place = (Path(tempfile.mkdtemp(dir=each)) for each in (above, top))
                try:
                    walked(desk, names, place)
                except Exception as error:
                    failed += 1
                    print(f"{ground}, seed {number}: {' > '.join(names)}: {error!r}"[:1000], flush=True)
                for folder in (desk, place):
                    shutil.rmtree(folder, ignore_errors=True)
        except KeyboardInterrupt:
            pass
    print(f"{ground}: {rounds} rounds from seed {seed}, {failed} failed")
    return failed


def main() -> int:
    """Walk on the ground that is named, or on each for a while, again and again."""
    if len(sys.argv) > 1:
        return soak(sys.argv[1], float(sys.argv[2]), int(sys.argv[3]))
    for seed in count(int(time.time()), 10_000):
        for ground in ("here", "ext4", "ext4 of 128", "exfat"):
            try:
                if soak(ground, 600, seed):
                    return 1
            except pytest.skip.Exception as why:
                print(f"{ground}: not walked: {why}")
    return 0


if __name__ == "__main__":
    sys.exit(main())
