"""Packages on servers: whole there before they have their name, and whole again when they come back."""

import shutil
from pathlib import Path

import pytest

from foldkeep.model.packages import FORMATS
from harness.desks import Desk, TrustingDesk, wait_a_week
from harness.packages import EDL, everything
from harness.points import every_content
from harness.requests import CHANGING, Faults, late_tags, watched
from harness.servers import KINDS, Served, cloud, served


@pytest.fixture
def desk(tmp_path: Path) -> Desk:
    return TrustingDesk(tmp_path)


@pytest.fixture(params=KINDS)
def server(request, tmp_path: Path, monkeypatch):
    monkeypatch.setenv("HOME", str(tmp_path / "home"))
    with served(request.param, tmp_path / "server", tmp_path / "home") as found:
        yield found


def project_of(desk: Desk) -> Path:
    desk.write("sound/march.wav", b"a march" * 100)
    desk.write("edit/cut.edl", EDL.format("../sound/march.wav").encode())
    desk.write("edit/shot.mp4", b"the original" * 20_000)
    desk.write("edit/notes of the day.txt", b"words")
    desk.write("edit/100% #1?.txt", b"odd")
    desk.ask("scan", desk.place)
    return desk.place / "edit"


def unfinished(server: Served) -> list[Path]:
    return [path for path in server.folder.rglob("*") if path.name.endswith(".unfinished")]


@pytest.mark.parametrize("form", FORMATS)
def test_a_project_goes_onto_a_server_and_comes_back(server, desk: Desk, form):
    project = project_of(desk)
    before = everything(project)
    (server.folder / "packages").mkdir()
    (server.folder / "packages").chmod(0o777)
    into = f"{server.url}/packages"
    words = ("archive", project, "--to", into, "--format", form)
    made = desk.ask(*words, "--fold-original", "--yes")
    package = made["packages"][0]["path"]
    assert package.startswith(into)
    assert not unfinished(server)
    assert not list((desk.stock.parent / "packages for servers").iterdir())
    assert desk.ask("archive", "--check", package)["checked"][0]["whole"]
    wait_a_week(desk)
    assert desk.ask("release", "--last", "--yes")["left"] == []
    (desk.top / "back").mkdir()
    desk.ask("restore", package, "--to", desk.top / "back")
    assert everything(desk.top / "back/edit") == before


@pytest.mark.more
@pytest.mark.parametrize("first", [1, 5, 9, 13, 17, 21, 1000])
def test_entity_tags_that_come_late_are_no_change(tmp_path: Path, desk: Desk, first):
    with cloud(tmp_path / "server") as server:
        desk.ask("archive", project_of(desk), "--to", server.url, "--fold-original", "--yes")
        with late_tags(first) as asked:
            wait_a_week(desk)
            assert desk.ask("release", "--last", "--yes")["left"] == []
        assert len(asked) > 21


def test_a_package_that_rots_on_a_server_vouches_for_nothing(server, desk: Desk):
    project = project_of(desk)
    package = desk.ask("archive", project, "--to", server.url, "--fold-original", "--yes")
    path = server.folder / "edit/data/edit/shot.mp4"
    path.chmod(0o666)
    path.write_bytes(b"rotten ......" + path.read_bytes()[13:])
    assert desk.run("archive", "--check", package["packages"][0]["path"]).status == 1
    wait_a_week(desk)
    answer = desk.run("release", "--last", "--yes", "--json")
    assert (answer.status, answer.json["released"]) == (1, 0)


@pytest.mark.more
def test_whatever_request_fails_a_package_is_whole_or_not_there(tmp_path: Path, desk: Desk):
    with cloud(tmp_path / "server") as server:
        project = project_of(desk)
        words = ("archive", project, "--to", server.url)
        kept = every_content(desk.place)
        with watched(lambda _, __, do: do()) as made:
            desk.ask(*words)
        points = [number for number, name in enumerate(made, start=1) if name in CHANGING]
        for turn, number in enumerate((*points[::3], points[-1])):
            clear(server.folder)
            faults = Faults(number, Faults.WORDS[turn % len(Faults.WORDS)])
            with watched(faults.visit):
                answer = desk.run(*words)
            faults.arrive()
            assert answer.status in (0, 2), answer
            assert kept <= every_content(desk.place)
            named = server.folder / "edit"
            if answer.status == 2 and not named.exists():
                assert desk.run(*words).status == 0  # it goes on
            assert desk.run("archive", "--check", f"{server.url}/edit").status == 0, (turn, number, answer)


def clear(folder: Path) -> None:

    for entry in folder.iterdir():
        shutil.rmtree(entry)


def test_a_name_that_is_taken_on_the_server_stays_what_it_is(tmp_path: Path, desk: Desk):
    with cloud(tmp_path / "server") as server:
        project = project_of(desk)
        server.write("edit", b"somebody's")
        answer = desk.run("archive", project, "--to", server.url)
        assert answer.status == 2
        assert "is there already" in answer.err
        assert (server.folder / "edit").read_bytes() == b"somebody's"
        assert desk.run("archive", project, "--to", f"{server.url}/nowhere").status == 2
        assert desk.run("restore", "x", "--to", server.url).status == 2
