"""Places on servers: found as on a disk, with few bytes, and one copy with what is here until said otherwise."""

import os
import random
import signal
import subprocess
import time
from collections import defaultdict
from pathlib import Path

import pytest

from foldkeep.demo.cloud import CloudOptions, Fault
from foldkeep.model.names import path_from_uri
from foldkeep.model.remote import path_on_server, remote_path
from harness.desks import PROGRAM, Desk, on_a_terminal
from harness.oracles import BLOCK, content, oracle
from harness.servers import KINDS, Served, cloud, served

_SIZES = (1, 900, BLOCK, 2 * BLOCK, 2 * BLOCK + 1, 70_000)
_CHANGES = ("none", "start", "middle", "end")


@pytest.fixture(params=KINDS)
def server(request, tmp_path: Path, monkeypatch):
    monkeypatch.setenv("HOME", str(tmp_path / "home"))
    with served(request.param, tmp_path / "server", tmp_path / "home") as found:
        yield found


@pytest.fixture
def own(tmp_path: Path):
    with cloud(tmp_path / "server") as found:
        yield found


def scanned(desk: Desk, *places) -> dict:
    answer = desk.run("scan", *places, "--json")
    assert answer.status == 0, answer.err
    return answer.json


def separate(desk: Desk) -> None:
    one, other = (place["label"] for place in desk.ask("places")["places"])
    desk.ask("places", "--separate", one, other)


def on_disk(server: Served, uri: str) -> bytes:
    """Return where a file of an answer lies on this machine."""
    path = path_from_uri(uri)
    if not path.startswith((b"http", b"sftp")):
        return path
    top = path_on_server(remote_path(server.url)).rstrip(b"/")
    return os.fsencode(server.folder) + path_on_server(path).removeprefix(top)


def least_bytes(files: list[bytes]) -> int:
    """Return what must be read of contents: ends where sizes agree, all where the ends do too."""
    by_size, by_ends = defaultdict(list), defaultdict(list)
    for data in files:
        by_size[len(data)].append(data)
    read = 0
    for size, alike in by_size.items():
        if size and len(alike) > 1:
            read += len(alike) * min(size, 2 * BLOCK)
            for data in alike:
                by_ends[size, data[:BLOCK], data[-BLOCK:]].append(data)
    return read + sum(size * len(alike) for (size, *_), alike in by_ends.items() if size > 2 * BLOCK and len(alike) > 1)


def test_copies_on_both_sides_are_those_that_reading_everything_finds(desk: Desk, server):
    chance = random.Random(7)
    files = []
    for number in range(90):
        data = content(chance.choice(_SIZES), chance.choice(_CHANGES))
        files.append(data)
        name = f"day {chance.randrange(4)}/kite {number}.jpg"
        if chance.random() < 0.6:
            server.write(name, data)
        else:
            desk.write(name, data)
    first = scanned(desk, desk.place, server.url)
    assert first["files"] == 90
    assert first["read_bytes"] == least_bytes(files)
    assert 0 < first["fetched_bytes"] < first["read_bytes"]
    separate(desk)
    sets = desk.ask("duplicates")["sets"]
    found = {frozenset(on_disk(server, copy["uri"]) for copy in one["copies"]) for one in sets}
    assert found == oracle_of(desk.place, server.folder)
    again = scanned(desk)
    assert (again["files"], again["read_bytes"]) == (90, 0)
    changed = server.write("day 0/new.jpg", content(70_000, "none"), 1_750_009_999)
    assert scanned(desk)["read_bytes"] == 70_000 + 2 * BLOCK
    changed.unlink()
    assert scanned(desk)["files"] == 90


def oracle_of(*tops: Path) -> set[frozenset[bytes]]:
    """Return the sets of several folders by reading everything in them."""
    together = Path(os.path.commonpath(tops))
    inside = tuple(os.fsencode(top) + b"/" for top in tops)
    found = (frozenset(path for path in one if path.startswith(inside)) for one in oracle(together))
    return {one for one in found if len(one) > 1}


def test_what_a_server_states_is_enough_for_finding(desk: Desk, tmp_path: Path):
    with cloud(tmp_path / "server", CloudOptions(states_digests=True)) as server:
        same, other = content(300_000, "none"), content(300_000, "middle")
        desk.write("kite.jpg", same)
        for number in range(3):
            server.write(f"same {number}.jpg", same)
            server.write(f"other {number}.jpg", other)
        report = scanned(desk, desk.place, server.url)
        # All ends, the file here, and one of those that are stated alike, but are not here.
        assert report["read_bytes"] == 7 * 2 * BLOCK + 2 * 300_000
        assert report["stated"] == 5
        assert report["fetched_bytes"] == 6 * 2 * BLOCK + 300_000
        assert scanned(desk)["read_bytes"] == 0
        separate(desk)
        assert sorted(len(one["copies"]) for one in desk.ask("duplicates")["sets"]) == [3, 4]


@pytest.mark.more
def test_a_scan_that_was_interrupted_goes_on(desk: Desk, own: Served):
    for number in range(300):
        own.write(f"kite {number}.jpg", content(70_000, "none")[:-3] + b"%03d" % number)
    own.cloud.faults.latency = 0.01
    variables = {**os.environ, "FOLDKEEP_STOCK": str(desk.stock)}
    command = [*PROGRAM, "scan", own.url]
    began = subprocess.Popen(command, env=variables, stderr=subprocess.PIPE, stdout=subprocess.PIPE)
    while sum(method == "GET" for method, _ in own.cloud.faults.requests) < 300:
        time.sleep(0.01)
    began.send_signal(signal.SIGINT)
    said = began.communicate()
    assert began.returncode == 130, said
    asked = len(own.cloud.faults.requests)
    rest = scanned(desk, own.url)
    assert 0 < rest["read_bytes"] < 300 * 2 * BLOCK
    assert len(own.cloud.faults.requests) - asked < 600
    assert scanned(desk)["read_bytes"] == 0


def test_what_is_known_stays_when_a_server_goes(desk: Desk, own: Served):
    for number in range(40):
        own.write(f"day {number}/kite.jpg", b"kite" * 9000)
    scanned(desk, own.url)
    number = len(own.cloud.faults.requests)
    own.cloud.faults.plan = dict.fromkeys(range(number + 12, number + 999), Fault.UNSENT)
    answer = desk.run("scan", "--json")
    assert answer.status == 1
    assert any("connection to the server was lost" in each["reason"] for each in answer.json["problems"])
    assert desk.ask("duplicates")["totals"]["sets"] == 1
    assert sum(each["files"] for each in desk.ask("places")["places"]) == 40
    own.cloud.faults.plan = {}
    assert scanned(desk)["files"] == 40


def test_both_sides_are_one_copy_until_the_user_says_otherwise(desk: Desk, own: Served):
    for number in range(3):
        desk.write(f"kite {number}.jpg", b"%d" % number * 9000)
        own.write(f"kite {number}.jpg", b"%d" % number * 9000)
    own.write("again/kite 0.jpg", b"0" * 9000)
    scanned(desk, desk.place, own.url)
    found = desk.ask("duplicates")
    assert found["mirrored"] == {"contents": 3, "bytes": 27_000}
    (one,) = found["sets"]
    assert {copy["uri"].startswith("http://127.0.0.1") for copy in one["copies"]} == {True}
    assert one["mirrored"] == ["place"]
    assert len(desk.ask("show", one["id"])["shown"][0]["copies"]) == 2
    covered = desk.ask("coverage")["standings"]
    assert [covered[word]["contents"] for word in ("once", "one volume", "several volumes")] == [3, 0, 0]
    one, other = (place["label"] for place in desk.ask("places")["places"])
    assert f"foldkeep places --separate {one} {other}" in desk.run("duplicates").out
    separate(desk)
    found = desk.ask("duplicates")
    assert (found["totals"]["sets"], found["mirrored"]["contents"]) == (3, 0)
    assert desk.ask("coverage")["standings"]["several volumes"]["contents"] == 3
    desk.ask("places", "--kept-alike", one, other)
    assert desk.ask("duplicates")["totals"]["sets"] == 1
    assert desk.run("places", "--separate", one, one).status == 2


def test_what_is_somebody_elses_is_told_and_never_proposed(desk: Desk, tmp_path: Path):
    with cloud(tmp_path / "server", CloudOptions(shared="crew")) as server:
        server.write("kite.jpg", b"kite" * 9000)
        server.write("crew/kite.jpg", b"kite" * 9000)
        server.write("crew/stage.jpg", b"stage" * 9000)
        server.write("crew/more/stage.jpg", b"stage" * 9000)
        scanned(desk, server.url)
        sets = {one["size"]: one for one in desk.ask("duplicates")["sets"]}
        assert (sets[36_000]["reclaimable"], sets[45_000]["reclaimable"]) == (0, 0)
        assert desk.run("duplicates").out.count("somebody else's") == 3
        desk.ask("keep", "-o", desk.docket)
        rows = desk.docket.read_text().splitlines()
        assert not any(",fold," in row for row in rows)
        # Nor does it vouch for what is mine, whatever a docket says: its owner may delete it.
        text = desk.docket.read_text()
        mine = next(row for row in rows if row.split(",")[2].endswith("/kite.jpg") and "/crew/" not in row)
        desk.docket.write_text(text.replace(mine, mine.replace(",leave,", ",fold,").replace(",keep,", ",fold,")))
        answer = desk.run("fold", desk.docket, "--yes", "--json")
        assert answer.json["folded"] == 0, answer
        assert "belongs to somebody else" in answer.json["left"][0]["reason"]


def test_a_login_is_written_nowhere(desk: Desk, tmp_path: Path, monkeypatch):
    monkeypatch.setenv("NETRC", str(tmp_path / "netrc"))
    (tmp_path / "netrc").write_text("machine 127.0.0.1 login desk password Kite-Secret\n")
    (tmp_path / "netrc").chmod(0o600)
    with cloud(tmp_path / "server", CloudOptions(login=("desk", "Kite-Secret"))) as server:
        server.write("kite.jpg", b"kite")
        scanned(desk, server.url)
        refused = desk.run("scan", server.url.replace("//", "//desk:Kite-Secret@"))
    assert refused.status == 2
    assert "Kite-Secret" not in refused.err + refused.out
    for path in desk.stock.parent.iterdir():
        assert b"Kite-Secret" not in path.read_bytes()


def test_a_person_is_asked_for_the_login_and_what_keeps_both_sides_alike(desk: Desk, tmp_path: Path):
    desk.write("kite.jpg", b"kite" * 9000)
    scanned(desk, desk.place)
    variables = {**os.environ, "HOME": str(tmp_path), "FOLDKEEP_STOCK": str(desk.stock), "NO_COLOR": "1"}
    with cloud(tmp_path / "server", CloudOptions(login=("desk", "Kite-Secret"))) as server:
        server.write("kite.jpg", b"kite" * 9000)
        typed = {"Name: ": "desk", "Password of desk: ": "Kite-Secret", "alike? [yes/no]": "no"}
        shown = on_a_terminal(["scan", server.url], variables, typed)
    assert "wants a name and password" in shown
    assert "Kite-Secret" not in shown
    assert desk.ask("duplicates")["totals"]["sets"] == 1


@pytest.mark.parametrize(
    ("address", "words"),
    [
        ("http://127.0.0.1:1/x", "cannot be reached"), ("https://", "no address"), ("https://host/?a", "holds ?"),
        ("sftp://host/%2e%2e", "leads up"), ("http://windmere.example/", "--unencrypted"),
        ("https://u:p@host/", "password"),
    ],
)  # fmt: skip
def test_an_address_that_cannot_be_used_is_refused_in_a_line(desk: Desk, address, words):
    answer = desk.run("scan", address)
    assert answer.status == 2
    assert words in answer.err
    assert answer.err.count("\n") == 1


def test_space_tells_of_the_quota_and_of_what_a_bin_keeps(desk: Desk, tmp_path: Path):
    with cloud(tmp_path / "server", CloudOptions(quota=1_000_000)) as server:
        server.write("kite.jpg", b"kite" * 10_000)
        path = server.write("old.jpg", b"k" * 200_000)
        server.cloud.account.throw_away(str(path))
        scanned(desk, server.url)
        (told,) = desk.ask("space")["servers"]
        assert (told["used"], told["available"], told["known"]) == (240_000, 760_000, 40_000)
        assert "200 kB of what is taken lies outside" in desk.run("space").out


@pytest.mark.parametrize(
    ("words", "gone"),
    [
        ((), "server"), (("--prefer", "under:{url}"), "here"), (("--protect", "{url}"), None),
        (("--give-up-under", "{url}/day"), "server"), (("--prefer", "place:{label}"), "here"),
    ],
)  # fmt: skip
def test_a_person_says_which_side_gives_up(desk: Desk, own: Served, words, gone):
    desk.write("day/kite.jpg", b"kite" * 9000)
    own.write("day/kite.jpg", b"kite" * 9000)
    scanned(desk, desk.place, own.url)
    separate(desk)
    label = desk.ask("places")["places"][1]["label"]
    desk.ask("keep", "-o", desk.docket, *(word.format(url=own.url, label=label) for word in words))
    rows = [row for row in desk.docket.read_text().splitlines() if ",fold," in row]
    assert ["http://" in row.split(",")[2] for row in rows] == ([] if gone is None else [gone == "server"])


def test_every_command_takes_places_on_servers(desk: Desk, own: Served):
    """What only looks, plans or writes a list has nothing to say against files on a server."""
    for number in range(3):
        desk.write(f"day/kite {number}.jpg", b"%d" % number * 9000)
        own.write(f"day/kite {number}.jpg", b"%d" % number * 9000)
        own.write(f"night/kite {number}.jpg", b"%d" % number * 9000)
    scanned(desk, desk.place, own.url)
    separate(desk)
    desk.ask("keep", "-o", desk.docket)
    made = desk.top / "made"
    lines = [
        ("duplicates", "--folders"), ("duplicates", "--same", "essence"), ("duplicates", "--same", "name"), ("alike",),
        ("list", "--under", f"{own.url}/day"), ("space", f"{own.url}/day"), ("space", "--by", "volume"), ("caches",),
        ("projects",), ("coverage", "--fewer-than", "2"), ("fixity",), ("bin",), ("ledger",),
        ("inventory", "save", made), ("compare", made, desk.place),
        ("list", "--inventory", made), ("coverage", "--with-inventory", made),
        ("sheet", desk.docket, "-o", f"{made}.html"),
        ("keep", "--explain"), ("duplicates", "--csv", f"{made}.csv"), ("scan",), ("places",), ("settings",),
    ]  # fmt: skip
    for line in lines:
        answer = desk.run(*line)
        assert answer.status == 0, (line, answer)
    assert desk.run("room", "1MB").status == 1  # nothing there can go, and nothing is wrong
    assert "on a server" in desk.run("show", f"{own.url}/day/kite 1.jpg").out
    reviewed = desk.run("review", desk.docket, answer="2\nall\nstop\n")
    assert "on a server" in reviewed.out, reviewed
    assert b"http://127.0.0.1" in Path(f"{made}.csv").read_bytes()
