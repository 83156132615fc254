"""Three machines with three homes, stocks and keys: whatever they do in whatever order, no content is lost."""

import json
import os
import re
import shutil
import time
from collections.abc import Iterator
from dataclasses import dataclass, field
from pathlib import Path

import pytest

from foldkeep.fold.elsewhere import protected, vouching
from foldkeep.keep import write_docket
from foldkeep.model import Action, DocketRow
from foldkeep.model.machines import path_on
from foldkeep.stock import Stock
from harness.desks import Desk, contents
from harness.points import Points, kill_at

ROOT = Path(__file__).parents[2]
_BODY = b"a kite over the windmill" * 30
_DAY, _HOUR, _MONTH = 86_400, 3600, 31 * 86_400


@dataclass
class Machine:
    """One of the machines: it has the content once, and a docket that gives it up for the copy on another one."""

    desk: Desk
    name: str
    trusts: "Machine | None" = None
    sent: list[Path] = field(default_factory=list)
    number: str = ""

    @property
    def file(self) -> Path:
        return self.desk.place / "kites" / f"{self.name}.jpg"

    def row(self, action: Action) -> DocketRow:
        facts = self.file.stat()
        path = os.fsencode(self.file)
        if action is Action.KEEP:
            path = path_on(self.name, path)
        with Stock.open(str(self.desk.stock)) as stock:
            digest = stock.listing.at(os.fsencode(self.file)).digest
        return DocketRow("s1", action, path, facts.st_size, "photo", facts.st_mtime_ns, digest, "one is enough")

    def believe(self, other: "Machine") -> None:
        """Exchange keys, and write the docket."""
        self.trusts = other
        (self.desk.top / "their.pub").write_text(other.desk.run("vouch", "--machine-key").out)
        assert self.desk.run("vouch", "--learn-key", self.desk.top / "their.pub").status == 0
        write_docket(str(self.desk.docket), [other.row(Action.KEEP), self.row(Action.FOLD)])

    def ask(self, *words) -> int:
        """Have the other machine vouch, and take what it says; return its exit status."""
        path = self.desk.top / f"voucher-{len(self.sent)}"
        path.unlink(missing_ok=True)
        status = self.trusts.desk.run("vouch", self.desk.docket, "-o", path, *words).status
        if path.exists():
            self.sent.append(path)
        return status

    def fold(self) -> int:
        return self.desk.run("fold", self.desk.docket, "--yes", *self.vouchers()).status

    def vouchers(self) -> list[str | Path]:
        return ["--vouchers", self.sent[-1]] if self.sent else []

    def release(self) -> int:
        """Release, by what the other machine signs for that; return the exit status."""
        waiting = self.waiting()
        if waiting is None:
            return 2
        self.number = self.desk.ask("release", str(waiting), "--yes")["number"]
        if self.number:
            self.ask("--number", self.number)
        return self.desk.run("release", str(waiting), "--yes", *self.vouchers()).status

    def waiting(self) -> int | None:
        runs = [run["run"] for run in self.desk.ask("ledger")["runs"] if run["files"]["waiting"]]
        return runs[-1] if runs else None


@pytest.fixture
def three(tmp_path) -> list[Machine]:
    """Machines of which each gives its copy up for that of the next one."""
    machines = []
    for name in ("edit-01", "edit-02", "server"):
        (tmp_path / name).mkdir()
        machine = Machine(Desk(tmp_path / name), name)
        machine.desk.write(f"kites/{name}.jpg", _BODY)
        machine.desk.run("scan", machine.desk.place, "--read-all")
        machine.desk.run("inventory", "save", tmp_path / name / "saved.inventory", "--machine", name)
        machines.append(machine)
    for machine, other in zip(machines, machines[1:] + machines[:1], strict=True):
        machine.believe(other)
    return machines


def everywhere(machines: list[Machine]) -> set[str]:
    return set().union(*(contents(machine.desk.place) for machine in machines))


STEPS = [(machine, step) for machine in range(3) for step in ("ask", "fold", "release")]


def _orders(left: tuple[int, ...] = (3, 3, 3)) -> Iterator[tuple[int, ...]]:
    """Yield each order of the steps in which every machine takes its own one after the other."""
    if not any(left):
        yield ()
    for machine, steps in enumerate(left):
        if steps:
            fewer = (*left[:machine], steps - 1, *left[machine + 1 :])
            yield from ((3 * machine + 3 - steps, *rest) for rest in _orders(fewer))


ORDERS = list(_orders())


@pytest.mark.parametrize(
    "orders",
    [ORDERS[7::89], pytest.param(ORDERS[::3], marks=pytest.mark.long)], ids=["some", "many"],
)  # fmt: skip
def test_in_whatever_order_three_machines_give_up_one_content_it_stays(three, orders, tmp_path):
    """Each docket came of its own question, so all three want to go: at most two of them may."""
    saved = tmp_path / "saved"
    for machine in three:
        shutil.copytree(machine.desk.top, saved / machine.name, symlinks=True)
    released = 0
    for order in orders:
        for number in order:
            which, step = STEPS[number]
            getattr(three[which], step)()
            assert everywhere(three), (order, number)
        released += sum(not machine.file.exists() and machine.waiting() is None for machine in three)
        for machine in three:
            for inside in machine.desk.place.iterdir():
                shutil.rmtree(inside)
            shutil.copytree(saved / machine.name / "place", machine.desk.place, dirs_exist_ok=True)
            shutil.rmtree(machine.desk.stock.parent)
            shutil.copytree(saved / machine.name / "stock", machine.desk.stock.parent)
            machine.sent.clear()
    assert released >= len(orders) / 2  # where all ask before one folds, all are protected


def test_what_is_vouched_for_stays_until_that_ends(three):
    first, second, third = three
    assert first.ask() == 0
    # The second machine has vouched: its own docket, by whatever stock, cannot have that file any more.
    assert second.ask() == 0
    assert second.fold() == 1
    assert (
        "another machine relies on it" in second.desk.run("fold", second.desk.docket, "--yes", *second.vouchers()).out
    )
    other = Desk(second.desk.top)
    other.stock = second.desk.top / "another stock"
    other.run("scan", other.place)
    answer = other.run("fold", second.desk.docket, "--yes", "--allow-last-copy", *second.vouchers())
    assert (second.file.exists(), answer.status) == (True, 2)  # and it knows no key
    (told,) = second.desk.ask("vouch")["protected"]
    assert [file["path"] for file in told["files"]] == [str(second.file)]
    assert first.fold() == 0
    assert second.desk.run("vouch", "--end", first.desk.docket, "--yes").status == 0
    assert not list(second.desk.place.glob(".foldkeep/vouched*"))
    assert second.fold() == 0
    # Both lie in folds now, and neither may go for the other.
    assert (first.release(), second.release()) == (2, 0)
    assert third.file.exists()
    assert first.release() == 2
    assert everywhere(three)


def test_nothing_is_vouched_for_under_a_name_by_which_it_is_not_protected(three, tmp_path):
    """Paths that climb, lead over links or into folds, files that are gone, other contents: none is signed."""
    first, second, _ = three
    kites = second.file.parent
    (second.desk.place / "over").symlink_to(kites)
    (second.desk.place / "link.jpg").symlink_to(second.file)
    outside = second.desk.top / "outside.jpg"
    outside.write_bytes(_BODY)
    fold = second.desk.place / ".foldkeep"
    fold.mkdir()
    (fold / "x.jpg").write_bytes(_BODY)
    row = second.row(Action.KEEP)
    names = ["kites/../kites/edit-02.jpg", "../outside.jpg", "over/edit-02.jpg", "link.jpg", ".foldkeep/x.jpg", "kites",
             "kites//edit-02.jpg", "kites/./edit-02.jpg", "gone.jpg", "KITES/EDIT-02.JPG"]  # fmt: skip
    for name in names:
        path = path_on("edit-02", os.fsencode(second.desk.place) + b"/" + name.encode())
        docket = tmp_path / "odd.csv"
        docket.unlink(missing_ok=True)
        write_docket(str(docket), [row._replace(path=path), first.row(Action.FOLD)])
        answer = second.desk.run("vouch", docket, "-o", tmp_path / "odd.voucher")
        assert (answer.status, (tmp_path / "odd.voucher").exists()) == (1, False), name
    for change in ({"size": row.size + 1}, {"digest": bytes(32)}, {"digest": None}):
        docket.unlink()
        write_docket(str(docket), [row._replace(**change), first.row(Action.FOLD)])
        assert second.desk.run("vouch", docket, "-o", tmp_path / "odd.voucher").status == 1, change
    assert second.desk.ask("vouch")["protected"] == []


def test_a_machine_that_lies_is_not_believed(three, tmp_path):
    first, second, third = three
    assert first.ask() == 0
    whole = first.sent[-1].read_bytes()
    head, file, signature = whole.splitlines()
    stranger = Desk(_made(tmp_path / "stranger"))
    stranger.write("kites/x.jpg", _BODY)
    stranger.run("scan", stranger.place, "--read-all")
    lies = {
        "changed": head + b"\n" + file.replace(b"edit-02.jpg", b"other.jpg") + b"\n" + signature + b"\n",
        "longer": head + b"\n" + file + b"\n" + file + b"\n" + signature + b"\n",
        "cut": whole[:-30], "unsigned": head + b"\n" + file + b"\n", "empty": b"", "no voucher": b"[]\n{}\n",
        "by another": whole.replace(json.loads(head)["machine"]["id"].encode(), b"0" * 32),
        "for a release": _signed(first, "--number", "ab" * 32), "of this machine": _signed_by(first, first),
        "for another docket": _signed_by(second, third, docket=second),
    }  # fmt: skip
    for name, text in lies.items():
        path = tmp_path / "lie"
        path.write_bytes(text)
        answer = first.desk.run("fold", first.desk.docket, "--yes", "--vouchers", path)
        assert (answer.status, answer.err.count("\n"), first.file.exists()) == (2, 1, True), (name, answer.err)
    assert first.desk.run("vouch", "--end", first.desk.top / "its own.csv", "--yes").status == 0
    # It signs what it does not have any more: the docket's digest is known, but the content is not.
    assert first.fold() == 0
    number = first.desk.ask("release", "1", "--yes")["number"]
    forged = _forged(second, first, bytes.fromhex(number))
    assert first.desk.run("release", "1", "--yes", "--vouchers", forged).status == 1
    assert len(list(first.desk.place.glob(".foldkeep/*/files/*"))) == 1
    # Another key under the name of one that is known is refused, until that is forgotten.
    (tmp_path / "new.pub").write_text(_with_new_key(second))
    refused = first.desk.run("vouch", "--learn-key", tmp_path / "new.pub")
    assert (refused.status, "another key than before" in refused.err) == (2, True)
    assert first.desk.run("vouch", "--forget-key", "edit-02").status == 0
    assert first.desk.run("fold", first.desk.docket, "--yes", *first.vouchers()).status == 2


def test_one_that_restores_an_old_backup_and_one_that_is_away_for_a_month(three, tmp_path, monkeypatch):
    first, second, _ = three
    real = time.time_ns
    backup = tmp_path / "backup"
    assert first.ask() == 0
    shutil.copytree(first.desk.top, backup, symlinks=True)
    assert first.fold() == 0
    # A month later: what was vouched for is too old to fold by, and to release by.
    monkeypatch.setattr(time, "time_ns", lambda: real() + _MONTH * 10**9)
    assert first.desk.run("fold", first.desk.docket, "--yes", *first.vouchers()).status == 2
    assert second.desk.ask("vouch")["protected"]
    assert first.release() == 0  # asked again, the other machine reads it again
    signed = first.sent[-1]
    assert second.desk.run("vouch", "--end", first.desk.docket, "--yes").status == 2
    # It is set back to before all that; what was signed for the release counts for nothing now.
    for inside in first.desk.place.iterdir():
        shutil.rmtree(inside)
    shutil.copytree(backup / "place", first.desk.place, dirs_exist_ok=True)
    shutil.rmtree(first.desk.stock.parent)
    shutil.copytree(backup / "stock", first.desk.stock.parent)
    monkeypatch.setattr(time, "time_ns", lambda: real() + (_MONTH + 2 * _HOUR) * 10**9)
    assert second.desk.run("vouch", "--end", first.desk.docket, "--yes").status == 0
    second.file.unlink()
    assert first.ask() == 1
    first.sent.append(signed)
    assert first.fold() == 2
    assert first.file.exists()
    monkeypatch.setattr(time, "time_ns", real)
    first.sent[-1] = first.sent[0]
    assert first.fold() == 0  # within the day of the first voucher the clock is back: it goes into the fold, no further
    assert first.release() == 2
    assert first.desk.run("release", "1", "--yes", "--vouchers", signed).status == 2
    assert everywhere([first])


def test_what_is_vouched_for_is_on_the_disk_before_anybody_is_told(three, monkeypatch):
    """The order of what is brought to the disk: what was read, its protection, the voucher."""
    first, second, _ = three
    order = []
    real, real_protect = vouching.storage_at, vouching.protect

    class Watched:
        def __init__(self, path):
            self._storage = real(path)

        def flush_volume(self, path):
            order.append(("flushed", path, list(first.desk.top.glob("voucher*"))))
            self._storage.flush_volume(path)

    monkeypatch.setattr(vouching, "storage_at", Watched)
    monkeypatch.setattr(vouching, "protect", lambda what: (order.append(("protected", what)), real_protect(what)))
    assert first.ask() == 0
    assert [step[0] for step in order] == ["flushed", "protected"]
    assert order[0][1:] == (os.fsencode(second.file.parent), [])


def test_killed_while_it_vouches_nothing_is_signed_that_is_not_protected(three):
    first, second, _ = three
    words = ["vouch", first.desk.docket, "-o", first.desk.top / "voucher-0"]
    points = Points(lambda *_: None)
    with points.armed(without=""):
        second.desk.run(*words)
    assert len(points.site) > 10
    for number in range(1, len(points.site) + 1, 3):
        for path in (*first.desk.top.glob("voucher*"), *second.desk.place.glob(".foldkeep/vouched*")):
            path.unlink()
        child = os.fork()
        if child == 0:
            with Points(kill_at(number)).armed(without=""):
                second.desk.run(*words)
            os._exit(0)
        os.waitpid(child, 0)
        first.sent = [*first.desk.top.glob("voucher*")]
        with Stock.open(str(second.desk.stock)) as stock:
            is_protected = any(os.fsencode(second.file) in each.paths for each in protected(stock)[0])
        if first.sent and first.sent[0].read_bytes().endswith(b'"}\n'):
            assert is_protected, points.site[number - 1]
        assert second.desk.run("vouch").status == 0


def test_from_two_inventories_to_a_release(tmp_path, far, monkeypatch):
    """The way that the page on many machines tells: two inventories, dockets, a voucher, a fold, a release."""
    desks = {"edit-01": Desk(far), "edit-02": Desk(_made(tmp_path / "edit-02"))}
    desks["edit-01"].write("sorted/2026/kite.jpg", _BODY)
    desks["edit-02"].write("Untitled import/kite.jpg", _BODY)
    inventories = _made(tmp_path / "inventories")
    for name, desk in desks.items():
        desk.run("scan", desk.place, "--read-all")
        assert desk.run("inventory", "save", inventories / f"{name}.parquet", "--machine", name).status == 0
    first, second = desks.values()
    answer = first.ask("keep", "--inventory", inventories, "-o", tmp_path / "dockets")
    assert [(each["machine"], each["keepers_elsewhere"]) for each in answer["dockets"]] == [("edit-02", 1)]
    docket = tmp_path / "edit-02.csv"
    (tmp_path / "dockets/edit-02.csv").rename(docket)
    left = second.run("fold", docket, "--yes")
    assert (left.status, "which did not vouch for it" in left.out) == (1, True)
    second.run("unfold", "--last")
    shutil.rmtree(second.stock.parent)
    second.run("scan", second.place, "--read-all")
    second.run("inventory", "save", tmp_path / "again.parquet", "--machine", "edit-02")
    monkeypatch.chdir(tmp_path)
    said, ran = "", 0
    for name, line in re.findall(
        r"^    (edit-0\d)\$ foldkeep (.*)$", (ROOT / "docs/many-machines.md").read_text(), re.MULTILINE
    ):
        line, _, into = line.partition(" > ")
        line = line.replace("NUMBER", said.partition("--number ")[2].split("\n")[0])
        answer = desks[name].run(*line.split())
        assert answer.status == (line == "release 1 --yes"), (line, answer)
        said = answer.out if "--number" in answer.out else said
        ran += 1
        if into:
            Path(into).write_text(answer.out)
        if line.startswith("fold"):
            (file,) = second.ask("ledger", "1")["runs"][0]["details"]
            keeper = f"file://edit-01{first.place}/sorted/2026/kite.jpg"
            assert (file["proof"], file["keeper"]["uri"]) == ("voucher", keeper)
        for method in ("delete", "hard-link", "move") * line.startswith("vouch"):
            more = {"delete": ["--for-good"], "move": ["--to", tmp_path]}.get(method, [])
            assert second.run("fold", docket, "--yes", "--method", method, *more).status == 2
    assert ran == 7
    assert (contents(second.place), bool(contents(first.place))) == (set(), True)


def _made(path: Path) -> Path:
    path.mkdir()
    return path


def _signed(machine: Machine, *words: str) -> bytes:
    """Return what the machine that another one trusts signs for it, and take that away from its sent ones."""
    assert machine.ask(*words) == 0
    return machine.sent.pop().read_bytes()


def _signed_by(signer: Machine, believer: Machine, docket: Machine | None = None) -> bytes:
    """Return a voucher of a machine, made for a docket that has a keeper on it."""
    path = signer.desk.top / "its own.csv"
    path.unlink(missing_ok=True)
    rows = [signer.row(Action.KEEP), (docket or believer).row(Action.FOLD)]
    write_docket(str(path), rows)
    out = signer.desk.top / "its own voucher"
    out.unlink(missing_ok=True)
    assert signer.desk.run("vouch", path, "-o", out).status == 0
    return out.read_bytes()


def _forged(signer: Machine, asker: Machine, number: bytes) -> Path:
    """Sign for a number, by a key that is trusted, what is known of a content without having it."""
    from foldkeep.formats.signed import make_key, write_voucher
    from foldkeep.model.vouchers import VouchedFile, Voucher

    row = signer.row(Action.KEEP)
    with Stock.open(str(signer.desk.stock)) as stock:
        machine = stock.machine.get()
    file = VouchedFile(os.fsencode(signer.file), row.size, row.digest, 1, 2, row.digest)
    voucher = Voucher(machine, bytes(32), time.time_ns(), number, (file,))
    return Path(write_voucher(str(asker.desk.top / "forged"), voucher, make_key(f"{signer.desk.stock}.key")))


def _with_new_key(machine: Machine) -> str:
    """Return the line of a key that somebody made up in a machine's name."""
    (machine.desk.top / "aside").unlink(missing_ok=True)
    key = Path(f"{machine.desk.stock}.key")
    kept = key.read_bytes()
    key.unlink()
    line = machine.desk.run("vouch", "--machine-key").out
    key.write_bytes(kept)
    return line
