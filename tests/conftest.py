"""What the tests share: the program run in this process or in its own, the sample library, plain listings."""

import fcntl
import os
import shutil
import signal
import sqlite3
import subprocess
import sys
import tempfile
from collections import Counter
from collections.abc import Iterator
from importlib.util import find_spec
from pathlib import Path
from typing import Any
from unittest.mock import patch

import pytest
from hypothesis import settings

from foldkeep.demo import make_library
from foldkeep.stock import reserve
from foldkeep.storage.local.drives import keeps_change_times
from harness.desks import DISK, QUICK, TRASH, Desk, other_volume
from harness.drives import KINDS, MORE_KINDS, Drive, Shared
from harness.helpers import as_ever, lent_helpers
from harness.tools import packages_for

# How long one example takes says more of the machine than of the code. The tests are the same each time; the long
# ones explore, and what they find becomes a case with a name.
settings.register_profile("steady", deadline=None, derandomize=True, database=None)
settings.register_profile("explore", deadline=None)
settings.load_profile("explore" if "FOLDKEEP_EXPLORE" in os.environ else "steady")

# Who starts the tests behind a shell has Ctrl-C ignored, and so would every program that they start.
signal.signal(signal.SIGINT, signal.default_int_handler)
os.environ["XDG_DATA_HOME"] = str(TRASH)
os.environ.setdefault("PYTEST_DEBUG_TEMPROOT", str(QUICK))


@pytest.fixture
def tmp_path(tmp_path: Path, request: pytest.FixtureRequest) -> Iterator[Path]:
    """A folder of the test's own: in memory, but for tests that ask something of the disk."""
    if request.node.get_closest_marker("on_disk") is None:
        yield tmp_path
        return
    folder = tempfile.mkdtemp(prefix="foldkeep-test-", dir=DISK)
    yield Path(folder)
    shutil.rmtree(folder, ignore_errors=True)


@pytest.fixture(scope="session", autouse=True)
def unflushed(tmp_path_factory: pytest.TempPathFactory) -> Iterator[None]:
    """Have nothing wait for the disk where the tests' own files lie: what was written outlives a killed process, and
    only a power cut asks for flushes. Drives of their own, and programs in processes of their own, flush as ever.
    """
    flush, connect = os.fsync, sqlite3.connect
    own = {folder.stat().st_dev for folder in (tmp_path_factory.getbasetemp(), DISK)}

    def flushed(descriptor: int) -> None:
        if os.fstat(descriptor).st_dev not in own:
            flush(descriptor)

    class Quick(sqlite3.Connection):
        def execute(self, statement: str, *more: Any) -> sqlite3.Cursor:
            if statement.startswith("PRAGMA synchronous"):
                statement = "PRAGMA synchronous = OFF"
            return super().execute(statement, *more)

    def connected(*args: Any, **named: Any) -> sqlite3.Connection:
        return connect(*args, **{"factory": Quick, **named})

    with patch.object(os, "fsync", flushed), patch.object(sqlite3, "connect", connected):
        yield


@pytest.fixture(scope="session", autouse=True)
def little_room() -> Iterator[None]:
    """Have stocks set little aside: scenes of the harness copy it at every point. Full disks get it whole."""
    with patch.object(reserve, "_MOST", reserve._LEAST):
        yield


@pytest.fixture(scope="session", autouse=True)
def helpers_kept() -> Iterator[None]:
    """Have helper processes serve more than one command."""
    with lent_helpers():
        yield


@pytest.fixture(scope="session", autouse=True)
def own_bin() -> Iterator[None]:
    """Have what goes into the desktop's bin lie in the tests' own one, whatever volume they work on."""
    if find_spec("send2trash") is None or sys.platform == "darwin":
        yield
        return
    from send2trash import plat_other

    home, real = os.path.realpath(os.path.expanduser(b"~")), plat_other.get_dev
    last = 0

    def device_of(path: bytes) -> int:
        nonlocal last
        last = last if path == home else real(path)
        return last

    with patch.object(plat_other, "get_dev", device_of):
        yield


@pytest.fixture
def own_helpers() -> Iterator[None]:
    """Have helper processes end with the command that started them."""
    with as_ever():
        yield


@pytest.fixture
def desk(tmp_path: Path) -> Desk:
    return Desk(tmp_path)


@pytest.fixture
def far(tmp_path: Path) -> Iterator[Path]:
    """A folder on another volume than the test's own."""
    volume = other_volume(tmp_path)
    if volume is None:
        pytest.skip("there is no second volume")
    folder = Path(tempfile.mkdtemp(dir=volume))
    yield folder
    shutil.rmtree(folder)


@pytest.fixture
def known_volume(tmp_path: Path) -> None:
    """Skip a test where nothing can be told of the volume that it works on: a root that no mount line names."""
    if not keeps_change_times(os.fsencode(tmp_path), tmp_path.stat().st_dev):
        pytest.skip("no mount line names the volume of the tests (as in a chroot), so little is known of it")


@pytest.fixture(scope="session")
def sample(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The sample library, made once for all the processes that run tests side by side."""
    together = tmp_path_factory.getbasetemp()
    if "PYTEST_XDIST_WORKER" in os.environ:
        together = together.parent
    top = together / "sample"
    with open(together / "sample.lock", "a+") as lock:
        fcntl.flock(lock, fcntl.LOCK_EX)
        lock.seek(0)
        if not lock.read():
            make_library(str(top))
            lock.write("made")
    return top


@pytest.fixture
def sample_desk(sample: Path, tmp_path: Path) -> Desk:
    """A desk whose place is the sample library."""
    subprocess.run(["cp", "-a", sample / "library", tmp_path / "place"], check=True)
    subprocess.run(["cp", "-a", sample / "shelf-drive", tmp_path], check=True)
    return Desk(tmp_path)


def pytest_sessionfinish() -> None:
    """Take away what lies outside the tests' own folders; processes that run tests side by side end without atexit."""
    shutil.rmtree(TRASH, ignore_errors=True)


def pytest_terminal_summary(terminalreporter) -> None:
    """Say in the closing lines what was not run, and why."""
    skipped = terminalreporter.stats.get("skipped", [])
    why = Counter(str(report.longrepr[2]).removeprefix("Skipped: ") for report in skipped)
    for reason, number in why.most_common():
        terminalreporter.write_line(f"NOT RUN: {number} test{'s' * (number > 1)}: {reason}", yellow=True)
    if packages := packages_for(why):
        terminalreporter.write_line(f"to run these too: apt-get install {' '.join(packages)}", yellow=True)


@pytest.fixture(params=KINDS)
def drive(request, tmp_path: Path) -> Iterator[Drive]:
    made = Drive(tmp_path, *KINDS[request.param])
    try:
        yield made
    finally:
        made.close()


@pytest.fixture
def anything(request, tmp_path: Path) -> Iterator[Drive | Shared]:
    """Any drive that can be written to, shares and overlays among them."""
    made = Shared(tmp_path) if request.param == "sshfs" else Drive(tmp_path, *MORE_KINDS[request.param])
    try:
        yield made
    finally:
        made.close()
