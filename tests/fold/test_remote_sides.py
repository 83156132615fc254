"""Folding on servers: sides that a program may keep alike, two who fold at once, and what a server says of itself."""

import json
import shutil
from pathlib import Path
from urllib.parse import unquote

import pytest

from foldkeep.demo.cloud import CloudOptions
from foldkeep.storage.dav import DavStorage
from harness.desks import Desk, left, listing, pair
from harness.requests import SIDES, RemoteScenes
from harness.servers import IllWilled, cloud


@pytest.mark.more
def test_what_a_program_keeps_alike_is_found_out(tmp_path: Path):
    for side in ("there", "here"):
        with cloud(tmp_path / f"server-{side}") as server:
            scenes = RemoteScenes(tmp_path / f"desk-{side}", server, side, "release")
            spares, keepers = server.folder, scenes.desk.place
            if side == "here":
                spares, keepers = keepers, spares
            shutil.copytree(spares / ".foldkeep", keepers / ".foldkeep", dirs_exist_ok=True)
            answer = scenes.desk.run("release", "1", "--yes", "--json")
            assert (answer.status, answer.json["released"]) == (1, 0)
            assert any("a program keeps both alike" in each["reason"] for each in answer.json["left"])
            assert scenes.kept <= scenes.contents()


def test_nothing_goes_across_sides_that_may_be_kept_alike(tmp_path: Path):
    for side in ("there", "here"):
        with cloud(tmp_path / f"server-{side}") as server:
            scenes = RemoteScenes(tmp_path / f"desk-{side}", server, side, "fold")
            scenes.desk.ask("places", "--kept-alike", *(p["label"] for p in scenes.desk.ask("places")["places"]))
            answer = scenes.desk.run("fold", scenes.desk.docket, "--yes", "--json")
            assert (answer.status, answer.json["folded"]) == (1, 0)
            assert "foldkeep places --separate" in answer.json["left"][0]["reason"]
            assert scenes.state() == scenes.before


def overwriting_move(real):
    """Return a way to move that takes away what is there before."""

    def overwriting(self, path, new_path, etag=""):
        if self.facts(new_path) is not None:
            self.remove(new_path)
        real(self, path, new_path, etag)

    return overwriting


def test_a_server_that_overwrites_is_looked_at_and_not_folded_in(tmp_path: Path, monkeypatch):
    with cloud(tmp_path / "server") as server:
        scenes = RemoteScenes(tmp_path / "desk", server, "there", "fold")
        monkeypatch.setattr(DavStorage, "move", overwriting_move(DavStorage.move))
        desk = scenes.desk
        desk.write("cut/a.mp4", b"a" * 9)
        desk.write("cut/cut.edl", b"TITLE: cut\n\n001  a V C 00:00:00:00 00:00:01:00 00:00:00:00 00:00:01:00\n")
        desk.ask("scan", desk.place)
        before = scenes.state()
        for line in (
            ["fold", desk.docket, "--yes"],
            ["archive", desk.place / "cut", "--to", server.url],
        ):
            answer = desk.run(*line)
            assert answer.status == 2, answer
            assert "overwrites what is there" in answer.err
            assert scenes.state() == before
            assert not list(server.folder.glob(".foldkeep-trial*"))


def test_moving_onto_a_server_that_overwrites_is_refused(tmp_path: Path, monkeypatch):
    with cloud(tmp_path / "server") as server:
        desk = Desk(tmp_path)
        pair(desk)
        desk.proposed()
        before = listing(desk.place)
        monkeypatch.setattr(DavStorage, "move", overwriting_move(DavStorage.move))
        answer = desk.run("fold", desk.docket, "--yes", "--method", "move", "--to", server.url)
        assert (answer.status, "overwrites what is there" in answer.err) == (2, True), answer
        assert (listing(desk.place), list(server.folder.iterdir())) == (before, [])


def test_names_that_a_server_misreads_stay_or_are_told_as_they_are(tmp_path: Path, monkeypatch):
    """Our cloud's engine drops a newline of a destination, and refuses what it takes for a query or a parameter."""
    with cloud(tmp_path / "server") as server:
        desk = Desk(tmp_path)
        for name in ("kite.jpg", "why?.jpg", "two\nlines.jpg", "a;b.jpg", "50%.jpg"):
            server.write(name, name.encode() * 50)
            server.write(f"kept/{name}", name.encode() * 50)
        desk.ask("scan", server.url)
        desk.ask("keep", "-o", desk.docket, "--prefer", "under:" + server.url + "/kept")
        before = tree(server.folder)
        folded = desk.ask("fold", desk.docket, "--yes")
        assert folded["folded"] == 2
        reason = "its server misreads {} in names, and would bring it back under another"
        assert {why for _, why in left(folded)} == {reason.format(each) for each in ("\\n", ";", "?")}
        assert desk.ask("unfold", "1")["restored"] == 2
        assert tree(server.folder) == before
        # A run of an earlier Fold Keep, which tried no names out.
        monkeypatch.setattr("foldkeep.fold.servers.trial._PLAIN", frozenset(range(256)))
        assert desk.ask("fold", desk.docket, "--yes")["folded"] == 5
        answer = desk.ask("unfold", "2")
        assert (answer["restored"], answer["left"]) == (5, [])
        names = {
            unquote(each["from"]["uri"]).rpartition("/")[2]: Path(each["to"]["path"]).name for each in answer["renamed"]
        }
        assert names == {"two\nlines.jpg": "twolines.jpg", "why?.jpg": "why", "a;b.jpg": "a"}
        assert {names.get(name, name): content for name, content in before.items() if "/" not in name} == {
            name: content for name, content in tree(server.folder).items() if "/" not in name
        }


def test_a_server_that_takes_no_colon_in_names_takes_all_other_names(tmp_path: Path, monkeypatch):
    """The address of a server has a colon itself."""
    real = DavStorage.move

    def without_colon(self, path, new_path, etag=""):
        if b":" in new_path.rpartition(b"/")[2]:
            raise PermissionError(13, "no colon")
        real(self, path, new_path, etag)

    monkeypatch.setattr(DavStorage, "move", without_colon)
    with cloud(tmp_path / "server") as server:
        desk = Desk(tmp_path)
        for name in ("kite.jpg", "at 12:30.jpg"):
            server.write(name, name.encode() * 50)
            server.write(f"kept/{name}", name.encode() * 50)
        desk.ask("scan", server.url)
        desk.ask("keep", "-o", desk.docket, "--prefer", "under:" + server.url + "/kept")
        folded = desk.ask("fold", desk.docket, "--yes")
        assert folded["folded"] == 1
        assert left(folded) == [
            ("at 12:30.jpg", "its server misreads : in names, and would bring it back under another")
        ]


def tree(folder: Path) -> dict[str, bytes]:
    """Return the content of each file below a folder."""
    return {str(path.relative_to(folder)): path.read_bytes() for path in folder.rglob("*") if path.is_file()}


def test_two_fold_keeps_never_work_on_one_server_at_once(tmp_path: Path):
    with cloud(tmp_path / "server") as server:
        scenes = RemoteScenes(tmp_path / "desk", server, "there", "fold")
        (server.folder / ".foldkeep").mkdir()
        (server.folder / ".foldkeep/lock").write_text('{"host": "elsewhere", "process": 7, "work": "fold"}')
        answer = scenes.desk.run("fold", scenes.desk.docket, "--yes")
        assert answer.status == 2
        assert "held by foldkeep fold on elsewhere" in answer.err
        assert "--break-lock" in answer.err
        assert scenes.state() == scenes.before
        assert scenes.desk.run("fold", scenes.desk.docket, "--yes", "--break-lock").status == 1  # a companion stays
        assert not (server.folder / ".foldkeep/lock").exists()


@pytest.mark.more
@pytest.mark.parametrize("side", SIDES)
def test_a_digest_that_the_server_states_is_trusted_only_when_asked(tmp_path: Path, side):
    with cloud(tmp_path / "server", CloudOptions(states_digests=True)) as server:
        scenes = RemoteScenes(tmp_path / "desk", server, side, "fold")
        desk = scenes.desk
        folded = []
        for words in ((), ("--trust-server-digest",)):
            server.cloud.faults.requests.clear()
            folded.append(desk.ask("fold", desk.docket, "--yes", *words)["folded"])
            told = {each["reason"] for each in desk.ask("ledger", str(len(folded)))["runs"][0]["details"]}
            assert any("the digest that the server stated" in each for each in told) is bool(words)
            desk.ask("unfold", "--last")
        assert folded[0] == folded[1] >= 4
        assert scenes.state() == scenes.before
        # What the server states of a spare that was changed there since is another thing.
        scenes.rewrite(scenes.own("copy of kite 1.jpg"))
        left = desk.run("fold", desk.docket, "--yes", "--trust-server-digest", "--json").json["left"]
        assert any("copy of kite 1.jpg" in each["path"] for each in left)


def test_a_hostile_journal_on_a_server_leads_nowhere(tmp_path: Path, desk):
    victim = desk.write("victim.jpg", b"not yours")
    going = {"do": "fold", "n": 1, "slot": "000001.jpg", "from": "kite.jpg", "size": 4, "modified_ns": 0,
             "digest": "", "keeper": "", "method": "fold"}  # fmt: skip
    with IllWilled(b"HTTP/1.1 200 OK\r\nContent-Length: 0\r\n\r\n") as other, cloud(tmp_path / "server") as server:
        lines = [
            {"journal": 2, "run": "x", "method": "fold"},
            going | {"to": f"file://{victim}", "method": "move"}, going | {"n": 2, "to": f"{other.url}/x"},
            going | {"n": 3, "slot": "../../../place/victim.jpg"}, going | {"n": 4, "from": "../../victim.jpg"},
            going | {"n": 5, "keeper": f"{other.url}/k"}, going | {"n": 6, "from": "a%00b"}, {"do": "unfold", "n": 1},
            {"do": "unfold", "n": 5, "to": "../up.jpg"}, {"done": "kites", "n": 1}, [1], "kite",
            {"do": "release", "n": 7},
        ]  # fmt: skip
        for number, line in enumerate(lines, start=1):
            server.write(f".foldkeep/{number}/journal/000001.jsonl", json.dumps(line).encode() + b"\n")
            server.write(f".foldkeep/{number}/files/000001.jpg", b"kite")
        server.write(
            ".foldkeep/all/journal/000001.jsonl", b"".join(json.dumps(line).encode() + b"\n" for line in lines)
        )
        server.write(".foldkeep/all/journal/000002.jsonl", b"[" * 100_000)
        server.write(".foldkeep/all/journal/000003.jsonl", b"\xff\xfe\0")
        server.write(".foldkeep/all/files/000001.jpg", b"kite")
        answer = desk.run("unfold", "--from", server.url, "--json")
        assert answer.status in (0, 1), answer
        assert sum(path.read_bytes() == b"kite" for path in server.folder.rglob("*.jpg")) == len(lines) + 1
        assert other.heard == []
    assert victim.read_bytes() == b"not yours"
    assert [path.name for path in desk.place.iterdir()] == ["victim.jpg"]
