"""Folding on servers: nothing is lost, whatever request fails, whoever acts in between, wherever the process dies."""

import errno
import io
import os
import shutil
import subprocess
import sys
from collections.abc import Callable
from contextlib import suppress
from pathlib import Path

import pytest

from foldkeep.fold.removing.server import Vouched, remove_vouched
from foldkeep.fold.servers.looking import read_whole
from foldkeep.fold.verify import Witness
from foldkeep.storage.local.reading import NotSafe, Stamps
from foldkeep.storage.remote import Connections, connections, read_remote
from harness.desks import wait_a_week
from harness.points import STRIDE
from harness.requests import CHANGING, COMMANDS, SIDES, UP_COMMANDS, Faults, RemoteScenes, late_tags, watched
from harness.servers import KINDS, cloud, served

CASES = [*((side, command) for side in SIDES for command in COMMANDS), *(("up", command) for command in UP_COMMANDS)]
QUICK = [("there", "fold"), ("here", "release"), ("up", "move")]
SHORT = [
    *(pytest.param("cloud", *case, False, marks=() if case in QUICK else pytest.mark.more) for case in CASES),
    *(pytest.param("sftp", *case, False, marks=pytest.mark.more) for case in (("there", "fold"), ("up", "move"))),
]
_HARNESS = Path(__file__).parents[1]


@pytest.fixture(params=KINDS)
def server(request, tmp_path: Path, monkeypatch):
    monkeypatch.setenv("HOME", str(tmp_path / "home"))
    with served(request.param, tmp_path / "server", tmp_path / "home") as found:
        yield found


def check_after(scenes: RemoteScenes, where: object, *, destroyed: frozenset[str] = frozenset()) -> None:
    """Look that nothing is lost, take back what can be, and look that all is as it was."""
    assert scenes.kept - destroyed <= scenes.contents(), f"lost: {where}"
    if scenes.desk.ask("ledger")["runs"]:
        back = scenes.desk.run("unfold", "1", "--json")
        assert back.status in (0, 1), (where, back)
        again = scenes.desk.run("unfold", "1", "--json")  # what was uncertain is looked up
        assert again.status in (0, 1), (where, again)
        where = (where, back, again)
    assert scenes.kept - destroyed <= scenes.contents(), f"lost when taken back: {where}"
    scenes.check_settled(where)


@pytest.mark.parametrize("side", ["there", *(pytest.param(side, marks=pytest.mark.more) for side in SIDES[1:])])
def test_a_run_on_every_server(server, tmp_path: Path, side):
    scenes = RemoteScenes(tmp_path / "desk", server, side, "fold")
    desk = scenes.desk
    folded = desk.run("fold", desk.docket, "--yes", "--json")
    assert folded.json["folded"] >= 4, folded
    assert not any(b"copy of" in path and path.endswith(b".jpg") for path in scenes.state())
    assert desk.run("ledger", "--verify").status == 0
    assert scenes.kept <= scenes.contents()
    back = desk.ask("unfold", "--last")
    assert (back["restored"] >= 4, back["renamed"], back["left"]) == (True, [], []), back
    assert scenes.state() == scenes.before
    assert not list(server.folder.rglob(".foldkeep"))
    assert desk.ask("fold", desk.docket, "--yes")["folded"] == folded.json["folded"]
    too_soon = desk.run("release", "--last", "--yes", "--json")
    assert (too_soon.status, too_soon.json["released"]) == ((0, 4) if side == "within" else (1, 0))
    wait_a_week(desk)
    released = desk.run("release", "--last", "--yes", "--json")
    assert released.status == 2 if side == "within" else (released.json["released"], released.json["left"]) == (4, [])
    assert scenes.kept <= scenes.contents()
    assert not list(server.folder.rglob(".foldkeep"))
    desk.ask("scan")
    assert desk.ask("duplicates")["totals"]["sets"] == 0


def test_a_fold_comes_back_from_the_server_alone(server, tmp_path: Path):
    scenes = RemoteScenes(tmp_path / "desk", server, "there", "unfold")
    (server.folder / "spares/copy of kite 1.jpg").write_bytes(b"new")
    shutil.rmtree(scenes.desk.stock.parent)
    back = scenes.desk.ask("unfold", "--from", server.url)
    assert (back["restored"] >= 4, len(back["renamed"]), back["left"]) == (True, 1, [])
    assert scenes.kept <= scenes.contents()
    assert (server.folder / "spares/copy of kite 1.jpg").read_bytes() == b"new"
    assert (server.folder / "spares/copy of kite 1-2.jpg").read_bytes() == b"1" * 5000
    assert not list(server.folder.rglob(".foldkeep"))


@pytest.mark.usefixtures("known_volume")
def test_copies_onto_every_server_are_whole_and_go_only_if_another_stands(server, desk):
    for number in range(5):
        desk.write(f"card/kite {number}.jpg", b"%d" % number * 90_000)
    server.write("album/kite 0.jpg", b"somebody else's")
    server.write("album/kite 1.jpg", b"1" * 90_000)
    desk.ask("scan", desk.place, server.url)
    card = desk.place / "card"
    assert desk.ask("coverage", card)["covered"] == 0
    desk.ask("places", "--separate", *(place["label"] for place in desk.ask("places")["places"]))
    assert desk.ask("coverage", card)["covered"] == 0, "the server is this machine"
    label = next(place["label"] for place in desk.ask("places")["places"] if "//" in place["path"])
    desk.ask("places", label, "--disk", "the server's")
    found = desk.ask("coverage", card, "-o", desk.docket)
    assert (found["covered"], found["safe"]) == (1, False)
    words = ("fold", desk.docket, "--yes", "--method", "copy", "--to", f"{server.url}/album")
    answer = desk.run(*words, "--below", card, "--json")
    assert answer.json["folded"] == 4, answer
    assert (server.folder / "album/kite 0-2.jpg").read_bytes() == b"0" * 90_000
    assert all(
        (server.folder / f"album/kite {number}.jpg").read_bytes() == b"%d" % number * 90_000 for number in (1, 2, 3)
    )
    desk.ask("scan")
    assert desk.ask("coverage")["standings"]["several volumes"]["contents"] == 5
    assert desk.run("ledger", "--verify").status == 0
    (desk.place / "card/kite 2.jpg").unlink()
    (server.folder / "album/kite 3.jpg").write_bytes(b"edited")
    back = desk.run("unfold", "--last", "--json")
    assert {Path(each["path"]).name for each in back.json["left"]} == {"kite 2.jpg", "kite 3.jpg"}, back
    left = {path.name for path in (server.folder / "album").iterdir()}
    assert left == {"kite 0.jpg", "kite 1.jpg", "kite 2.jpg", "kite 3.jpg"}


def test_what_lost_its_witness_comes_back_even_if_the_server_refuses_it(server, tmp_path: Path, monkeypatch):
    (server.folder / "kite.jpg").write_bytes(b"kite" * 500)
    (tmp_path / "keeper.jpg").write_bytes(b"kite" * 500)
    (tmp_path / "home").mkdir(exist_ok=True)
    path = server.url.encode() + b"/kite.jpg"
    servers = Connections()
    storage = servers.of(path)
    remove = storage.remove

    def removed_with_its_keeper(*asked: object) -> None:
        remove(*asked)
        (tmp_path / "keeper.jpg").unlink()

    def refused(*_: object) -> None:
        raise OSError(errno.ENOSPC, "the server is full")

    monkeypatch.setattr(storage, "remove", removed_with_its_keeper)
    monkeypatch.setattr(storage, "write_new", refused)
    with connections(servers), io.BytesIO() as content:
        digest, stamp = read_remote(path, storage=storage, kept=content)
        theirs = os.fsencode(tmp_path / "keeper.jpg")
        witness = Witness(theirs, read_whole(theirs)[1], digest)
        with pytest.raises(NotSafe, match="foldkeep-kept-"):
            remove_vouched(storage, Vouched(path, stamp, digest, witness, content), Stamps())
    (kept,) = (tmp_path / "home").glob("foldkeep-kept-*-kite.jpg")
    assert kept.read_bytes() == b"kite" * 500
    assert not (server.folder / "kite.jpg").exists()


def test_a_file_that_shrinks_or_grows_while_it_is_sent_is_left(server, desk, monkeypatch):
    import foldkeep.storage.remote.uploading as uploading

    path = desk.write("card/kite.mov", b"kite" * 500_000)
    desk.ask("scan", desk.place, server.url)
    desk.run("coverage", desk.place / "card", "-o", desk.docket)
    real = os.read
    for size in (300_000, 5_000_000):
        done: list[int] = []

        def read(descriptor, length, path=path, size=size, done=done):
            if not done:
                done.append(size)
                os.truncate(path, size)
            return real(descriptor, length)

        monkeypatch.setattr(uploading.os, "read", read)
        answer = desk.run("fold", desk.docket, "--yes", "--method", "copy", "--to", server.url, "--json")
        monkeypatch.setattr(uploading.os, "read", real)
        assert (answer.status, answer.json["folded"]) == (1, 0), answer
        assert [path.name for path in server.folder.rglob("*") if path.is_file()] == []
        path.write_bytes(b"kite" * 500_000)
        os.utime(path, (1_750_000_000, 1_750_000_000))


def trial(scenes: RemoteScenes, number: int, word: str) -> None:
    scenes.reset()
    faults = Faults(number, word)
    with watched(faults.visit) as made:
        answer = scenes.desk.run(*scenes.line())
    where = (scenes.side, scenes.command, word, number, made[number - 1 : number], answer)
    assert answer.status in (0, 1, 2, 3), where
    assert "Traceback" not in answer.err, where
    assert scenes.kept <= scenes.contents(), f"lost: {where}"
    if answer.status == 2 and scenes.command == "fold":
        assert scenes.state() == scenes.before, f"changed although unusable: {where}"
    faults.arrive()
    check_after(scenes, where)
    if scenes.command != "release":
        assert scenes.state() == scenes.before, where


def requests_of(scenes: RemoteScenes) -> list[str]:
    scenes.reset()
    with watched(lambda _, __, do: do()) as made:
        scenes.desk.run(*scenes.line())
    return made


@pytest.mark.parametrize(("kind", "side", "command", "every"), [
    *SHORT,
    *(pytest.param(kind, *case, True, marks=pytest.mark.long) for kind in KINDS for case in CASES),
])  # fmt: skip
def test_whatever_request_fails_nothing_is_lost(tmp_path: Path, monkeypatch, kind, side, command, every):
    monkeypatch.setenv("HOME", str(tmp_path / "home"))
    with served(kind, tmp_path / "server", tmp_path / "home") as server:
        scenes = RemoteScenes(tmp_path / "desk", server, side, command)
        made = requests_of(scenes)
        words = Faults.WORDS
        for number, name in enumerate(made, start=1):
            if every:
                for word in words[number % STRIDE :: STRIDE]:
                    trial(scenes, number, word)
            elif name in CHANGING and number % 4 == len(side + command) % 4:
                trial(scenes, number, words[number % len(words)])


@pytest.mark.more
@pytest.mark.parametrize(("side", "command"), CASES)
def test_entity_tags_that_come_late_are_no_change(tmp_path: Path, side, command):
    with cloud(tmp_path / "server") as server:
        scenes = RemoteScenes(tmp_path / "desk", server, side, command)
        scenes.reset()
        with late_tags(0) as asked:
            usual = scenes.desk.run(*scenes.line())
        for part in (0.2, 0.5, 0.8):
            scenes.reset()
            with late_tags(round(part * len(asked))):
                answer = scenes.desk.run(*scenes.line())
            assert (answer.status, answer.json["left"]) == (usual.status, usual.json["left"]), (part, answer)
            assert scenes.kept <= scenes.contents()


@pytest.mark.more
@pytest.mark.parametrize(("kind", "side", "command", "every"), [
    ("cloud", "there", "fold", False),
    *(pytest.param("cloud", "there", command, False, marks=pytest.mark.more) for command in ("unfold", "release")),
    *(pytest.param(kind, *case, True, marks=pytest.mark.long) for kind in KINDS for case in CASES),
])  # fmt: skip
def test_wherever_the_process_dies_nothing_is_lost(tmp_path: Path, monkeypatch, kind, side, command, every):
    monkeypatch.setenv("HOME", str(tmp_path / "home"))
    with served(kind, tmp_path / "server", tmp_path / "home") as server:
        scenes = RemoteScenes(tmp_path / "desk", server, side, command)
        made = requests_of(scenes)
        points = range(1, len(made) + 1, STRIDE) if every else range(2, len(made) + 1, max(2, len(made) // 6))
        variables = {
            **os.environ, "PYTHONPATH": str(_HARNESS), "FOLDKEEP_STOCK": str(scenes.desk.stock),
            "XDG_CONFIG_HOME": str(scenes.desk.top / "config"), "XDG_DATA_HOME": str(scenes.desk.top / "home"),
        }  # fmt: skip
        for number in points:
            scenes.reset()
            command_line = [sys.executable, "-m", "harness.requests", str(number), *scenes.line()]
            ended = subprocess.run(command_line, env=variables, capture_output=True, check=False)
            where = (side, command, number, made[number - 1], ended)
            assert ended.returncode in (-9, 0, 1), where
            check_after(scenes, where)
            if command != "release":
                assert scenes.state() == scenes.before, where


def edit_a_spare(scenes: RemoteScenes) -> None:
    scenes.rewrite(scenes.own("copy of kite 1.jpg"))


def edit_a_keeper(scenes: RemoteScenes) -> None:
    scenes.rewrite(scenes.own("kite 1.jpg"))


def delete_a_keeper(scenes: RemoteScenes) -> None:
    scenes.own("kite 1.jpg").unlink()


def move_a_keeper_into_the_bin(scenes: RemoteScenes) -> None:
    path = scenes.own("kite 0.jpg")
    path.rename(path.parent / "was kite 0.jpg")


def save_over_a_spare(scenes: RemoteScenes) -> None:
    path = scenes.own("copy of kite 2.jpg")
    (path.parent / "new").write_bytes(b"new work" * 700)
    (path.parent / "new").replace(path)


def take_the_name_of_a_spare(scenes: RemoteScenes) -> None:
    folder = scenes.own("alone.jpg").parent
    with open(folder / "copy of kite 0.jpg", "xb") as file:
        file.write(b"somebody else's" * 90)


def edit_what_waits(scenes: RemoteScenes) -> None:
    for folder in (scenes.server.folder, scenes.desk.place):
        for path in sorted((folder / ".foldkeep").glob("*/files/*.jpg"))[:1]:
            scenes.rewrite(path)


def bring_one_back_by_hand(scenes: RemoteScenes) -> None:
    for folder in (scenes.server.folder, scenes.desk.place):
        for path in sorted((folder / ".foldkeep").glob("*/files/*.jpg"))[:1]:
            os.link(path, folder / "brought back.jpg")
            path.unlink()


ACTS: list[Callable[[RemoteScenes], None]] = [
    edit_a_spare, edit_a_keeper, delete_a_keeper, move_a_keeper_into_the_bin, save_over_a_spare,
    take_the_name_of_a_spare, edit_what_waits, bring_one_back_by_hand,
]  # fmt: skip


@pytest.mark.parametrize(("kind", "side", "command", "every"), [
    *SHORT,
    *(pytest.param(kind, *case, True, marks=pytest.mark.long) for kind in KINDS for case in CASES),
])  # fmt: skip
def test_another_program_loses_nothing_but_what_it_destroys(tmp_path: Path, monkeypatch, kind, side, command, every):
    monkeypatch.setenv("HOME", str(tmp_path / "home"))
    with served(kind, tmp_path / "server", tmp_path / "home") as server:
        scenes = RemoteScenes(tmp_path / "desk", server, side, command)
        made = requests_of(scenes)
        for number in range(1, len(made) + 1):
            acts = (
                ACTS[number % STRIDE :: STRIDE]
                if every
                else [ACTS[number % len(ACTS)]] * (number % 6 == len(side + command) % 6)
            )
            for act in acts:
                check_hand(scenes, number, act)


def check_hand(scenes: RemoteScenes, number: int, act: Callable[[RemoteScenes], None]) -> None:
    scenes.reset()
    destroyed: set[str] = set()
    made: set[str] = set()
    asked: list[str] = []

    def visit(at: int, name: str, do: Callable[[], object]) -> object:
        # Without tags, what puts size and time back after the last reading, right before a removal, is not to be seen:
        # in a release that is after the page of the journal that announces it.
        is_late = name == "remove" or (scenes.command == "release" and asked.count("write_new") > 1)
        is_blind = is_late and act is edit_what_waits and not scenes.server.has_tags
        asked.append(name)
        if at == number and not is_blind:
            before, there = scenes.contents(), scenes.state()
            with suppress(OSError, StopIteration):
                act(scenes)
            after, now = scenes.contents(), scenes.state()
            destroyed.update(before - after)
            if scenes.command in ("unfold", "unmove"):  # what has come back is its own to destroy
                destroyed.update(facts[0] for path, facts in there.items() if now.get(path) != facts)
            made.update(after - before)
        return do()

    with watched(visit) as names:
        answer = scenes.desk.run(*scenes.line())
    where = (scenes.side, scenes.command, act.__name__, number, names[number - 1 : number], answer)
    assert "Traceback" not in answer.err, where
    assert made <= scenes.contents(), f"lost what somebody made: {where}"
    check_after(scenes, where, destroyed=frozenset(destroyed))
    assert made <= scenes.contents(), f"lost what somebody made: {where}"
