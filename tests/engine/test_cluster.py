"""Work handed to workers of a distributed engine: the same answer as without, whatever becomes of them."""

import contextlib
import itertools
import os
import re
import shutil
import signal
import socketserver
import subprocess
import sys
import threading
import time
from collections.abc import Callable, Iterator
from importlib.util import find_spec
from pathlib import Path

import pytest

import foldkeep
from foldkeep.engine import cluster
from foldkeep.engine.addresses import check_address, is_guarded
from foldkeep.find.likeness import candidates
from foldkeep.model import UnusableInput
from foldkeep.scan import fixity, pool
from foldkeep.scan.workers import Call, Job
from foldkeep.signals import Measures, gathering
from foldkeep.stock import Stock
from harness.desks import Desk
from harness.fleets import Fleet

pytestmark = [  # asked without importing it, which takes seconds in each process that collects tests
    pytest.mark.more, pytest.mark.skipif(find_spec("distributed") is None, reason="could not import 'distributed'"),
]  # fmt: skip
ROOT = Path(__file__).parents[2]


@pytest.fixture(scope="module")
def fleet(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Fleet]:
    made = Fleet(tmp_path_factory.mktemp("fleet"))
    try:
        made.start_worker()
        made.start_worker()
        yield made
    finally:
        made.end()


@pytest.fixture
def own_fleet(tmp_path: Path) -> Iterator[Fleet]:
    """One that a test may do to what it likes."""
    (tmp_path / "fleet").mkdir()
    made = Fleet(tmp_path / "fleet")
    yield made
    made.end()


def told(desk: Desk, *more: str) -> list[object]:
    """Scan, read again and compare; return what all that says, but for how long it took and what was read."""
    scanned = desk.run("scan", desk.place, "--check-media", "--json", *more)
    listed = desk.ask("list")["files"]
    again = desk.run("fixity", "--json", *more)
    alike = desk.run("alike", "--json", *more)
    assert {scanned.status, again.status, alike.status} <= {0, 1}, (scanned, again, alike)
    assert "Traceback" not in scanned.err + again.err + alike.err
    return [{**scanned.json, "seconds": 0}, listed, again.json, alike.json]


def with_workers(desk: Desk, fleet: Fleet) -> list[object]:
    """Return what `told` does with workers, of a stock that knows nothing yet."""
    shutil.rmtree(desk.stock.parent)
    return told(desk, "--cluster", fleet.address)


def test_workers_find_what_one_machine_finds(desk: Desk, fleet: Fleet, sample: Path):
    shutil.copytree(sample / "library", desk.place, symlinks=True, dirs_exist_ok=True)
    names = [b"a\nb.jpg", b"\xff.jpg", b"-x.mov", b"deep " * 20 + b".wav"]
    for number, name in enumerate(names):
        for folder in (b"one", b"two"):
            path = os.path.join(os.fsencode(desk.place), folder, name)
            os.makedirs(os.path.dirname(path), exist_ok=True)
            with open(path, "wb") as file:
                file.write(b"%d" % number * 100_000)
    desk.write("gone.jpg", b"x" * 100_000)
    assert told(desk) == with_workers(desk, fleet)


COUNT = itertools.count()


def spoilt(act: Callable[[], None], job: type, monkeypatch: pytest.MonkeyPatch) -> None:
    """Have jobs of eight files, and something done as soon as the third is handed out."""
    global COUNT
    real, COUNT = job.away, itertools.count()

    def away(self):
        if next(COUNT) == 2:
            act()
        return real(self)

    monkeypatch.setattr(job, "away", away)
    monkeypatch.setattr(job, "seconds", 3.0)
    monkeypatch.setattr(pool, "_JOB_FILES", 8)
    monkeypatch.setattr(fixity, "_BATCH_FILES", 8)


def killed(fleet: Fleet) -> None:
    for worker in fleet.workers:
        os.killpg(worker.pid, signal.SIGKILL)


def killed_one(fleet: Fleet) -> None:
    os.killpg(fleet.workers[0].pid, signal.SIGKILL)


def stopped(fleet: Fleet) -> None:
    for worker in fleet.workers:
        os.killpg(worker.pid, signal.SIGSTOP)


def scheduler_stopped(fleet: Fleet) -> None:
    os.killpg(fleet.scheduler.pid, signal.SIGSTOP)


def scheduler_killed(fleet: Fleet) -> None:
    os.killpg(fleet.scheduler.pid, signal.SIGKILL)


def scheduler_restarted(fleet: Fleet) -> None:
    scheduler_killed(fleet)
    fleet.scheduler.wait()
    fleet.start_scheduler()
    fleet.start_worker()


HARM = [killed, killed_one, stopped, scheduler_stopped, scheduler_killed, scheduler_restarted]
JOBS = {
    "scan": (pool._Readings, (killed_one, scheduler_restarted)),
    "fixity": (fixity._Rereading, (stopped, scheduler_stopped)),
    "alike": (gathering._Questions, ()),
    "pairs": (candidates.Search, (killed,)),
}
"""What is handed out by which command, and what of harm is done to workers each time; more in the long tests."""


@pytest.mark.parametrize(
    ("act", "what"),
    [
        pytest.param(act, what, marks=() if act in short else pytest.mark.long, id=f"{act.__name__}-{what}")
        for what, (_, short) in JOBS.items()
        for act in HARM
    ],
)
def test_whatever_becomes_of_workers_all_is_done(desk: Desk, own_fleet: Fleet, sample, act, what, monkeypatch, capfd):
    command = {"pairs": "alike"}.get(what, what)
    if command == "alike":
        shutil.copytree(sample / "library/stills", desk.place, dirs_exist_ok=True)
        shutil.copytree(sample / "library/press", desk.place / "press")
    else:
        for number, folder in itertools.product(range(40), "ab"):
            desk.write(f"{folder}/{number}.mov", b"%06d" % number * 10_000)
    line = ["scan", desk.place] if command == "scan" else [command]
    desk.ask("scan", desk.place)
    if command != "alike":
        desk.rot("a/7.mov")
        (desk.place / "a/8.mov").chmod(0)
    if command == "scan":
        shutil.rmtree(desk.stock.parent)
    own_fleet.start_worker()
    own_fleet.start_worker()
    spoilt(lambda: act(own_fleet), JOBS[what][0], monkeypatch)
    saved = desk.top / "saved"
    saved.mkdir() if command == "scan" else shutil.copytree(desk.stock.parent, saved)

    def answers(*more: str) -> list[object]:
        shutil.rmtree(desk.stock.parent, ignore_errors=True)
        shutil.copytree(saved, desk.stock.parent)
        answer = desk.run(*line, "--json", *more)
        assert "Traceback" not in answer.err
        return [answer.status, {**answer.json, "seconds": 0}, desk.ask("list")["files"]]

    expected = answers()
    assert command != "alike" or len(expected[1]["groups"]) > 3
    assert answers("--cluster", own_fleet.address) == expected
    assert next(COUNT) >= 3
    assert capfd.readouterr().err == ""  # nor does the engine say anything itself


@pytest.mark.parametrize(
    ("address", "is_taken"),
    [
        ("tcp://127.0.0.1:8786", True), ("127.0.0.1:8786", True), ("tcp://localhost:8786", True), ("[::1]:8786", True),
        ("tls://192.0.2.7:8786", True), ("tls://cutting-room:8786", True), ("tcp://127.9.9.9:1", True),
        ("tcp://192.0.2.7:8786", False), ("192.0.2.7:8786", False), ("tcp://0.0.0.0:8786", False),
        ("tcp://cutting-room.invalid:8786", False), ("ucx://127.0.0.1:8786", False), ("wss://192.0.2.7:8786", False),
        ("tcp://127.0.0.1", False), ("tcp://127.0.0.1:0", False), ("tcp://127.0.0.1:99999", False), ("", False),
        ("tcp://me@127.0.0.1:8786", False), ("tls://h:8786/x", False), ("tcp://[::1:8786", False), ("\udcff:1", False),
        ("tcp://[::ffff:192.0.2.7]:8786", False), ("inproc://127.0.0.1/1/1", False), ("TCP://127.0.0.1:8786", True),
        ("tcp://127.0.0.1:87\n86", False), ("x" * 300 + ":1", False), ("file:///etc/passwd", False),
    ],
)  # fmt: skip
def test_only_this_computer_or_certificates(address: str, is_taken: bool):
    assert is_guarded(address) == is_taken
    if not is_taken:
        with pytest.raises(UnusableInput):
            check_address(address)


@contextlib.contextmanager
def other_server(said: bytes) -> Iterator[str]:
    """Answer at a port as no scheduler does, or not at all."""

    class Talks(socketserver.BaseRequestHandler):
        def handle(self) -> None:
            if said:
                self.request.sendall(said)
            else:
                self.request.recv(1)
                done.wait(60)

    done = threading.Event()
    with socketserver.ThreadingTCPServer(("127.0.0.1", 0), Talks) as server:
        server.daemon_threads = True
        threading.Thread(target=server.serve_forever, daemon=True).start()
        yield f"tcp://127.0.0.1:{server.server_address[1]}"
        done.set()
        server.shutdown()


def refused(desk: Desk, address: str) -> str:
    """Return why a scheduler is not asked; nothing was written then."""
    answer = desk.run("scan", desk.place, "--cluster", address)
    assert (answer.status, answer.out) == (2, ""), answer
    assert answer.err.count("\n") == 1
    assert not desk.stock.exists()
    return answer.err


def test_who_takes_orders_from_anybody_is_not_asked(desk: Desk, tmp_path: Path, fleet: Fleet, monkeypatch):
    desk.write("a.jpg", b"a")
    for host, who in (("0.0.0.0", "scheduler"), ("127.0.0.1", "worker")):  # noqa: S104
        (tmp_path / who).mkdir()
        anybody = Fleet(tmp_path / who, host)
        try:
            anybody.start_worker(host="" if who == "worker" else "127.0.0.1")
            assert f"{who} at tcp://{host}" in (answer := refused(desk, anybody.address))
            assert "takes orders from anybody" in answer
        finally:
            anybody.end()
    monkeypatch.setattr(cluster, "_ANSWER_SECONDS", 1)
    assert "does not answer" in refused(desk, anybody.address)
    real = foldkeep.__version__
    monkeypatch.setattr(foldkeep, "__version__", "0.0.1")
    assert f"has Fold Keep {real}; install Fold Keep 0.0.1 there" in refused(desk, fleet.address)


@pytest.mark.long
def test_what_answers_as_no_scheduler_does_is_waited_for_briefly(desk: Desk):
    line = [sys.executable, "-m", "foldkeep", "scan", desk.place, "--stock", desk.stock, "--cluster"]
    with contextlib.ExitStack() as opened:
        said = (b"", b"HTTP/1.1 400 Bad Request\r\n\r\n", b"\xff" * 900)
        asking = [
            subprocess.Popen([*line, opened.enter_context(other_server(each))], stderr=subprocess.PIPE, text=True)
            for each in said
        ]
        for process in asking:
            _, err = process.communicate(timeout=60)
            assert (process.returncode, err.count("\n")) == (2, 1), err
            assert "does not answer, or not as one does" in err
    assert not desk.stock.exists()


def certificates(top: Path) -> dict[str, Path]:
    """Make an authority of a studio's own, and a certificate that it signed for its machines."""
    from datetime import UTC, datetime, timedelta

    from cryptography import x509
    from cryptography.hazmat.primitives import hashes, serialization
    from cryptography.hazmat.primitives.asymmetric import ec

    now = datetime.now(UTC)
    keys = {name: ec.generate_private_key(ec.SECP256R1()) for name in ("studio", "desk")}
    names = {name: x509.Name([x509.NameAttribute(x509.NameOID.COMMON_NAME, name)]) for name in keys}
    made = {}
    for name in keys:
        builder = x509.CertificateBuilder(
            names["studio"], names[name], keys[name].public_key(), x509.random_serial_number()
        )
        builder = builder.not_valid_before(now - timedelta(1)).not_valid_after(now + timedelta(1))
        builder = builder.add_extension(x509.BasicConstraints(ca=name == "studio", path_length=None), critical=True)
        made[name] = top / f"{name}.crt"
        made[name].write_bytes(builder.sign(keys["studio"], hashes.SHA256()).public_bytes(serialization.Encoding.PEM))
    made["key"] = top / "desk.key"
    private = keys["desk"].private_bytes(
        serialization.Encoding.PEM, serialization.PrivateFormat.PKCS8, serialization.NoEncryption()
    )
    made["key"].write_bytes(private)
    return made


def settings(made: dict[str, Path]) -> dict[str, str]:
    """Return the engine's settings with certificates."""
    tls = "distributed.comm.tls"
    names = {"ca-file": "studio", "client.cert": "desk", "client.key": "key"}
    return {f"{tls}.{word}": str(made[name]) for word, name in names.items()}


def test_certificates_are_asked_for_and_shown(desk: Desk, tmp_path: Path, monkeypatch):
    import dask

    for folder in "ab":
        desk.write(f"{folder}/kite.mov", b"kite" * 100_000)
    desk.ask("scan", desk.place)
    expected = desk.ask("list")["files"]
    shutil.rmtree(desk.stock.parent)
    (tmp_path / "tls").mkdir()
    made = certificates(tmp_path / "tls")
    words = ("--tls-ca-file", made["studio"], "--tls-cert", made["desk"], "--tls-key", made["key"])
    fleet = Fleet(tmp_path / "tls", "tls://0.0.0.0", *map(str, words))
    try:
        fleet.start_worker(host="")
        assert fleet.address.startswith("tls://")
        assert "no ca-file that is there" in refused(desk, fleet.address)
        told = re.findall(
            r"^    server\$ foldkeep (.*--cluster.*)$", (ROOT / "docs/many-machines.md").read_text(), re.MULTILINE
        )
        meant = {"/mnt/share": str(desk.place), "tls://server:8786": fleet.address}
        with dask.config.set(settings(made)):
            answer = desk.run(*(meant.get(word, word) for word in told[0].split()))
        assert (answer.status, answer.err) == (0, "Workers did 2 of 2 jobs.\n")
        assert desk.ask("list")["files"] == expected
        monkeypatch.setattr(cluster, "_ANSWER_SECONDS", 1)
        shutil.rmtree(desk.stock.parent)
        stranger = {**certificates(tmp_path), "studio": made["studio"]}
        for wrong in (settings(stranger), settings({**made, "key": made["desk"]}), {"distributed.comm": 7}):
            with dask.config.set(wrong):
                refused(desk, fleet.address)
    finally:
        fleet.end()


def test_a_worker_that_sees_other_files_is_not_believed(desk: Desk, own_fleet: Fleet, tmp_path: Path, monkeypatch):
    """Its folder has the same names, sizes and times: another copy of the drive, changed since."""
    if subprocess.run(["unshare", "-m", "true"], capture_output=True).returncode:
        pytest.skip("no mounts can be made here")
    for number in range(40):
        for folder in "ab":
            desk.write(f"{folder}/{number}.mov", b"%06d" % number * 10_000)
    desk.ask("scan", desk.place)
    expected = desk.ask("list")["files"]
    shutil.rmtree(desk.stock.parent)
    other = tmp_path / "other"
    subprocess.run(["cp", "-a", desk.place, other], check=True)
    for path in other.glob("**/*.mov"):
        facts = path.stat()
        path.write_bytes(b"another" * (facts.st_size // 7) + b"." * (facts.st_size % 7))
        os.utime(path, ns=(facts.st_atime_ns, facts.st_mtime_ns))
    own_fleet.start_worker("unshare", "-m", "sh", "-c", f'mount --bind "{other}" "{desk.place}" && exec "$@"', "sh")
    monkeypatch.setattr(pool, "_JOB_FILES", 8)
    monkeypatch.setattr(fixity, "_BATCH_FILES", 8)
    for command in ("scan", "fixity"):
        answer = desk.run(*((command, desk.place) if command == "scan" else (command,)), "--cluster", own_fleet.address)
        assert (answer.status, answer.err.count("sees none of these files")) == (0, 1), answer
        assert desk.ask("list")["files"] == expected


def test_frames_of_films_are_compared_by_workers(desk: Desk, fleet: Fleet, sample: Path):
    def seen(path: Path) -> tuple[bytes, int, int]:
        facts = path.stat()
        return os.fsencode(path), facts.st_size, facts.st_mtime_ns

    films = [sample / "library/video/stage/STG_0001.mp4", sample / "library/press/for the web/on the stage.mov"]
    pairs = {
        tuple(map(seen, films)): 0.0,
        tuple(map(seen, films[::-1])): 0.5,
        (seen(films[0]), (b"/gone.mov", 1, 1)): 0.0,
    }
    desk.ask("scan", desk.place)
    with Stock.open(os.fspath(desk.stock)) as stock:
        workers = cluster.Cluster(fleet.address)
        try:
            found = Measures(stock, workers=workers).agreements(pairs)
            assert (workers.done, workers.done_here) == (2, 1)
        finally:
            workers.shutdown()
        assert len(found) == 2
    shutil.rmtree(desk.stock.parent)
    desk.ask("scan", desk.place)
    with Stock.open(os.fspath(desk.stock)) as stock:
        assert Measures(stock).agreements(pairs) == found


class Asking(Job[int]):
    """Asks for the process that does it."""

    def away(self) -> Call:
        return Call(os.getpid, ())

    def here(self, found: int | None = None) -> int:
        return found or os.getpid()


def test_a_worker_that_comes_later_is_asked_unless_it_takes_orders_from_anybody(own_fleet: Fleet):
    first = own_fleet.start_worker()
    workers = cluster.Cluster(own_fleet.address)
    try:
        own_fleet.start_worker(host="")
        last = own_fleet.start_worker()
        until = time.monotonic() + 20
        while workers.room < 6 and time.monotonic() < until:
            time.sleep(0.1)
        answers = []
        for _ in range(2):
            asked = [workers.spread(Asking()) for _ in range(100)]
            answers.append({each.result() for each in asked})
        assert answers[0] <= {first.pid, last.pid, os.getpid()}
        assert answers[1] == {first.pid, last.pid}
        assert [*workers.left_out.values()] == ["takes orders from anybody on the network"]
    finally:
        workers.shutdown()
