"""Folding on servers: sides that a program may keep alike, two who fold at once, and what a server says of itself."""

import json
import shutil
from pathlib import Path

import pytest

from foldkeep.demo.cloud import CloudOptions
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


def test_a_server_that_overwrites_is_looked_at_and_not_folded_in(tmp_path: Path, monkeypatch):
    with cloud(tmp_path / "server") as server:
        scenes = RemoteScenes(tmp_path / "desk", server, "there", "fold")
        from foldkeep.storage.dav import DavStorage

        real = DavStorage.move

        def overwriting(self, path, new_path, etag=""):
            if self.facts(new_path) is not None:
                self.remove(new_path)
            real(self, path, new_path, etag)

        monkeypatch.setattr(DavStorage, "move", overwriting)
        answer = scenes.desk.run("fold", scenes.desk.docket, "--yes")
        assert answer.status == 2
        assert "overwrites what is there" in answer.err
        assert scenes.state() == scenes.before


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
