"""What a drive forgets is told from what somebody wrote, and a drive that goes is no damage."""

import contextlib
import errno
import os
import sqlite3
import time

import pytest

from foldkeep.stock import Checked, CheckResult, Stock
from foldkeep.storage.local.drives import volumes
from harness.desks import Desk, left
from harness.scenes import commented, small_picture


def checks_of(desk: Desk, kind: Checked) -> dict[bytes, CheckResult]:
    with Stock.open(os.fspath(desk.stock)) as stock:
        return {subject: check.result for subject, check in stock.checks.of(kind).items()}


def rewritten(path, content: bytes) -> None:
    """Write another content of the same size, and put the time of modification back."""
    facts = path.stat()
    path.write_bytes(content)
    os.utime(path, ns=(facts.st_atime_ns, facts.st_mtime_ns))


@pytest.fixture
def read(desk) -> Desk:
    """A desk of which all was read long enough ago that a change would show."""
    for name in ("a.jpg", "b/copy of a.jpg"):
        desk.write(name, b"a" * 5000)
    desk.write("c.jpg", b"c" * 6000)
    time.sleep(0.06)
    desk.ask("scan", desk.place, "--read-all")
    return desk


def test_an_edit_whose_time_was_put_back_is_no_damage(read):
    rewritten(read.place / "c.jpg", b"d" * 6000)
    found = read.run("fixity", "-o", read.docket, "--json")
    assert (found.status, found.json["damaged"]) == (1, [])
    assert [each["path"] for each in found.json["changed"]] == [str(read.place / "c.jpg")]
    assert "changed, cause unknown" in read.docket.read_text()
    assert "leave" in read.docket.read_text()
    assert read.ask("fold", read.docket, "--yes", "--method", "heal")["folded"] == 0
    again = read.run("fixity", "--json")  # it was told; what is there now is what counts from now on
    assert (again.status, again.json["changed"]) == (0, [])


def test_without_times_that_tell_nothing_is_called_damage(read, monkeypatch):
    read.rot("c.jpg")
    monkeypatch.setattr(volumes, "_WITH_CHANGE_TIMES", frozenset())
    found = read.ask("fixity")
    assert (len(found["changed"]), found["damaged"]) == (1, [])


def test_words_written_into_a_picture_are_an_edit(desk):
    picture = small_picture(10)
    for name in ("a.jpg", "b.jpg"):
        desk.write(name, commented(picture, "once"))
    desk.write("c.jpg", commented(picture, "other words"))
    desk.ask("scan", desk.place, "--read-all")
    desk.ask("duplicates", "--same", "essence")
    rewritten(desk.place / "a.jpg", commented(picture, "kite"))
    found = desk.run("fixity", "--json")
    assert (found.status, found.json["damaged"], found.json["changed"]) == (0, [], [])
    assert [each["path"] for each in found.json["edited"]] == [str(desk.place / "a.jpg")]


def test_a_picture_of_which_no_essence_can_be_told_any_more_is_no_edit(desk, monkeypatch):
    from foldkeep.signals import Apart, NotRead

    picture = small_picture(10)
    for name in ("a.jpg", "b.jpg"):
        desk.write(name, commented(picture, name))
    desk.ask("scan", desk.place, "--read-all")
    desk.ask("duplicates", "--same", "essence")
    rewritten(desk.place / "a.jpg", commented(picture, "c.jpg"))

    def hangs(*_):
        raise NotRead("it took too long")

    monkeypatch.setattr(Apart, "essence", hangs)
    found = desk.run("fixity", "--json")
    assert (found.status, found.json["edited"], len(found.json["changed"])) == (1, [], 1)
    assert desk.run("fixity", "--with-inventory", desk.stock).status == 2


@pytest.mark.usefixtures("known_volume")
def test_damage_stays_damage_until_its_content_is_another(read):
    read.rot("b/copy of a.jpg")
    damaged = str(read.place / "b/copy of a.jpg")
    for _ in range(2):
        read.ask("scan")
        (found,) = read.ask("fixity")["damaged"]
        assert (found["path"], [good["path"] for good in found["good"]]) == (damaged, [str(read.place / "a.jpg")])
    assert read.ask("duplicates")["sets"] == []
    assert read.ask("coverage")["damaged_files"] == 1
    os.utime(damaged)  # whoever touches it does not mend it
    read.ask("scan", "--read-all")
    assert len(read.ask("fixity")["damaged"]) == 1
    rewritten(read.place / "b/copy of a.jpg", b"a" * 5000)
    os.utime(damaged)
    read.ask("scan", "--read-all")
    assert read.ask("fixity")["damaged"] == []


def failing(monkeypatch, *names: str, beyond: int = 0) -> None:
    """Have a medium no longer give some files, or anything at all after so many were read."""
    import foldkeep.scan.fixity as fixity

    real, count = fixity.digest_of, [0]

    def digest_of(descriptor: int, size: int):
        count[0] += 1
        path = os.readlink(f"/proc/self/fd/{descriptor}")
        if any(path.endswith(name) for name in names) or (beyond and count[0] > beyond):
            raise OSError(errno.EIO, os.strerror(errno.EIO))
        return real(descriptor, size)

    monkeypatch.setattr(fixity, "digest_of", digest_of)
    if beyond:
        monkeypatch.setattr(fixity, "_begins_well", lambda path: count[0] <= beyond)


def test_what_a_medium_gives_no_more_is_damage_and_can_be_healed(read, monkeypatch):
    with monkeypatch.context() as patched:
        failing(patched, "copy of a.jpg")
        found = read.run("fixity", "-o", read.docket, "--json")
    assert found.status == 1
    (damage,) = found.json["damaged"]
    assert (damage["found"], len(damage["good"])) == (None, 1)
    assert "its medium gives it no more" in read.docket.read_text()
    refused = read.ask("fold", read.docket, "--yes", "--method", "heal")
    assert left(refused) == [("copy of a.jpg", "can be read again; run foldkeep fixity to see whether it is right")]
    with monkeypatch.context() as patched:
        import foldkeep.fold.runs.looking as looking

        def unreadable(*_):
            raise OSError(errno.EIO, os.strerror(errno.EIO))

        patched.setattr(looking, "digest_in", unreadable)
        assert read.ask("fold", read.docket, "--yes", "--method", "heal")["folded"] == 1
    assert (read.place / "b/copy of a.jpg").read_bytes() == b"a" * 5000
    assert checks_of(read, Checked.FILE)[os.fsencode(read.place / "b/copy of a.jpg")] is CheckResult.RIGHT
    released = read.ask("release", "2", "--yes")
    assert (released["released"], released["left"]) == (1, [])


def test_a_drive_that_goes_is_no_damage(desk, monkeypatch):
    for number in range(12):
        desk.write(f"{number:02d}.jpg", b"%d" % number * 900)
    desk.ask("scan", desk.place, "--read-all")
    with monkeypatch.context() as patched:
        failing(patched, beyond=5)
        found = desk.run("fixity", "--json")
    assert (found.status, found.json["damaged"], 0 < found.json["files"] <= 5) == (1, [], True)
    assert "answers no more" in found.json["problems"][0]["reason"]
    assert set(checks_of(desk, Checked.FILE).values()) == {CheckResult.RIGHT}
    again = desk.ask("fixity")
    assert (again["files"], again["damaged"]) == (12, [])


def test_packages_and_folds_that_are_checked_are_written_down(read, far):
    (made,) = read.ask("archive", read.place / "b", "--to", far, "--inside", read.place, "--yes")["packages"]
    (key,) = checks_of(read, Checked.PACKAGE)
    assert read.run("archive", "--check", made["path"]).status == 0
    assert read.ask("coverage")["packages"]["contents"] == 1
    payload = next(path for path in (far / os.path.basename(made["path"])).glob("data/**/*") if path.is_file())
    payload.write_bytes(b"x" * payload.stat().st_size)
    assert read.run("archive", "--check", made["path"]).status == 1
    assert checks_of(read, Checked.PACKAGE) == {key: CheckResult.DAMAGED}
    assert read.ask("coverage")["packages"]["contents"] == 0  # it does not count any more
    read.docket.unlink(missing_ok=True)
    read.ask("keep", "-o", read.docket)
    read.ask("fold", read.docket, "--yes")
    assert read.ask("ledger", "--verify")["verified"] == 1
    ((slot, result),) = checks_of(read, Checked.FOLDED).items()
    assert (os.path.exists(slot), result) == (True, CheckResult.RIGHT)


def test_an_interrupted_check_goes_on_where_it_was(desk):
    for number in range(30):
        desk.write(f"{number:02d}.jpg", b"%02d" % number * 500_000)
    desk.ask("scan", desk.place, "--read-all")
    child = os.fork()
    if child == 0:
        import foldkeep.scan.fixity as fixity

        fixity._COMMIT_SECONDS = 0
        real = fixity._Judge.take

        def take(judge, read):
            real(judge, read)
            if judge._report.files == 12:
                raise KeyboardInterrupt

        fixity._Judge.take = take
        status = desk.run("fixity").status
        os._exit(0 if status == 130 else 1)
    assert os.waitpid(child, 0)[1] == 0
    done = len(checks_of(desk, Checked.FILE))
    assert done == 12
    rest = desk.ask("fixity", "--portion", "60%")
    assert rest["files"] == 18
    with contextlib.closing(sqlite3.connect(desk.stock)) as stock:
        assert stock.execute("SELECT count(*) FROM checks").fetchone() == (30,)


@pytest.mark.usefixtures("known_volume")
def test_every_name_of_a_damaged_file_is_told_and_healed(desk):
    desk.write("a.jpg", b"a" * 5000)
    desk.write("b.jpg", b"a" * 5000)
    os.link(desk.place / "b.jpg", desk.place / "b linked.jpg")
    time.sleep(0.06)
    desk.ask("scan", desk.place, "--read-all")
    desk.rot("b.jpg")
    with contextlib.closing(sqlite3.connect(desk.stock)) as stock, stock:
        told = (desk.place / "b.jpg").stat()
        stock.execute("UPDATE files SET read_changed_ns = ? WHERE inode = ?", (told.st_ctime_ns, told.st_ino))
    found = desk.ask("fixity", "-o", desk.docket)
    assert [os.path.basename(each["path"]) for each in found["damaged"]] == ["b linked.jpg", "b.jpg"]
    assert len(desk.ask("fixity")["damaged"]) == 2
    assert desk.ask("fold", desk.docket, "--yes", "--method", "heal")["folded"] == 2
    assert {path.read_bytes() for path in desk.place.glob("*.jpg")} == {b"a" * 5000}
    assert desk.ask("fixity")["damaged"] == []
