"""Inventories of several machines, asked as one."""

import csv
import json
import os
import shutil
import subprocess
import sys
from pathlib import Path

import pytest
from blake3 import blake3

from foldkeep.engine import open_inventories
from foldkeep.find.copies import duplicates
from foldkeep.formats.columns import save_columns
from foldkeep.formats.own import InventoryHead, InventoryPlace, write_inventory
from foldkeep.model.machines import Machine
from harness.desks import Desk
from harness.servers import cloud

pytestmark = pytest.mark.more

_NOBODY = {"volumes": [], "bins": None}


def inventory(path: Path, machine: str, files: dict[str, bytes | None], **more) -> Path:
    """Write the inventory of a machine that is nowhere: its files by path below /media, with their contents."""
    about = {"id": machine, "volume": f"uuid:{machine}", "saved": 1_790_000_000_000_000_000, "used": {}, **more}
    place = InventoryPlace(
        b"/media", "media", about.get("role", "working"), about["volume"], "the disk", about["saved"]
    )
    key = blake3(about["id"].encode()).hexdigest()[:32]
    head = InventoryHead(about["saved"], [place], {about["volume"]: "the disk"}, Machine(key, machine))
    folders: dict[bytes, list] = {}
    for number, (name, body) in enumerate(sorted(files.items())):
        folder, _, base = f"/media/{name}".rpartition("/")
        size, digest = (7, None) if body is None else (len(body), blake3(body).digest())
        row = (os.fsencode(base), "photo", size, 1_700_000_000_000_000_000 + number, number + 1, 1, 1000, None, None,
               None, None, digest)  # fmt: skip
        folders.setdefault(os.fsencode(folder), []).append(row)
    rows = [(folder, 0, about["volume"], some) for folder, some in folders.items()]
    if path.suffix == ".parquet":
        used = {os.fsencode(f"/media/{name}"): words for name, words in about["used"].items()}
        save_columns(str(path), head, rows, used)
    else:
        write_inventory(str(path), head, rows)
    return path


@pytest.mark.parametrize("at_once", [None, 2])
def test_commands_answer_from_columns_as_from_the_stock(desk: Desk, monkeypatch, at_once: int | None):
    if at_once:  # as of millions of sets and rows
        monkeypatch.setattr("foldkeep.stock.many.sets._SETS_AT_ONCE", at_once)
        monkeypatch.setattr("foldkeep.stock.many.ranges._ROWS_AT_ONCE", at_once)
    for folder, names in (
        ("a", "one two three void"),
        ("b", "one two"),
        ("a copy", "one"),
        ("deep/er/still", "three x"),
    ):
        for name in names.split():
            desk.write(f"{folder}/{name}.jpg", b"" if name == "void" else name.encode() * 700)
    desk.write(b"odd/\xff\n.mov", b"o" * 900)
    desk.write(b"a/lied.png", b"one" * 700)
    os.link(desk.place / "a/one.jpg", desk.place / "b/linked.jpg")
    os.link(desk.place / "a/x.jpg" if (desk.place / "a/x.jpg").exists() else desk.place / "deep/er/still/x.jpg",
            desk.place / "x again.jpg")  # fmt: skip
    desk.write("a/one.xmp", b"<x/>")
    desk.write("b/one.xmp", b"<x/>")
    (desk.place / "bare").mkdir()
    backup = desk.top / "backup"
    backup.mkdir()
    (backup / "one.jpg").write_bytes(b"one" * 700)
    desk.run("scan", desk.place)
    desk.run("scan", backup, "--role", "backup")
    known = desk.top / "known.list"
    known.write_text(f"{desk.place}/a/one.jpg\n{desk.place}/gone.jpg\n")
    lines, columns, converted = (desk.top / name for name in ("a.inventory", "a.parquet", "b.parquet"))
    for path in (lines, columns):
        assert desk.ask("inventory", "save", path)["files"] == desk.ask("list")["totals"]["files"]
    assert desk.run("inventory", "convert", lines, converted).status == 0
    questions = [
        ["duplicates"], ["duplicates", "--across"], ["duplicates", "--same", "name,size"], ["duplicates", "--folders"],
        ["duplicates", "--same", "name", "--sort", "name", "--kind", "photo"], ["duplicates", "--sort", "count"],
        ["duplicates", "--same", "size", "--larger-than", "1kB", "--across"], ["list"], ["list", "--sort", "size"],
        ["list", "--sort", "age", "--top", "3"], ["list", "--name", "*O*", "--sort", "name"], ["list", "--empty"],
        ["list", "--role", "backup"], ["list", "--under", desk.place / "a", "--not-name", "v*"], ["list", "--damaged"],
        *(["space", "--by", by] for by in ("kind", "suffix", "age", "year", "place", "volume", "owner")),
        ["space", "--depth", "4"], ["space", "--kind", "photo", "--place", "place"], ["space", "--largest", "3"],
        ["coverage"], ["coverage", "--fewer-than", "2", "--kind", "photo"], ["coverage", "--on", "backup"],
        ["orphans", "--catalog", f"list:{known}"],
    ]  # fmt: skip
    for words in questions:
        ours = desk.ask(*words)
        for path in (lines, columns, converted):
            theirs = desk.ask(*words, "--inventory", path, "--stock", desk.top / "none")
            assert {**theirs, **_NOBODY} == {**ours, **_NOBODY}, (words, path.name)
    assert desk.ask("inventory", "show", columns)["places"] == desk.ask("inventory", "show", lines)["places"]


def test_equal_paths_of_two_machines_are_two_files(tmp_path, desk: Desk):
    inventory(tmp_path / "b.parquet", "edit-02", {"kite.jpg": b"kite" * 9, "own.jpg": b"b"})
    inventory(tmp_path / "a.inventory", "edit-01", {"kite.jpg": b"kite" * 9, "sun.jpg": None})
    (tmp_path / "notes.txt").write_text("no inventory")
    answer = desk.run("duplicates", "--inventory", tmp_path, "--json")
    (one,) = answer.json["sets"]
    assert [copy["uri"] for copy in one["copies"]] == [f"file://edit-0{n}/media/kite.jpg" for n in (1, 2)]
    assert [copy["path"] for copy in one["copies"]] == [f"//edit-0{n}/media/kite.jpg" for n in (1, 2)]
    assert [copy["place"] for copy in one["copies"]] == ["edit-01:media", "edit-02:media"]
    assert "1 file was never read whole" in answer.err
    assert answer.json["totals"] == {"sets": 1, "spares": 1, "reclaimable": 36}
    listed = desk.ask("list", "--inventory", tmp_path / "*.parquet", "--inventory", tmp_path / "a.inventory",
                      "--place", "edit-02:media")  # fmt: skip
    assert [Path(file["path"]).name for file in listed["files"]] == ["kite.jpg", "own.jpg"]
    under = desk.ask("list", "--inventory", tmp_path, "--under", "//edit-02/media/")
    assert [file["path"] for file in under["files"]] == ["//edit-02/media/kite.jpg", "//edit-02/media/own.jpg"]
    assert desk.run("list", "--inventory", tmp_path / "none*").status == 2
    odd = inventory(tmp_path / "*[1]'?.parquet", "edit-03", {"odd.jpg": b"o"})  # one file, and no glob of DuckDB's
    for words in (["list", "--inventory", odd], ["inventory", "show", odd], ["compare", odd, odd]):
        assert "kite" not in desk.run(*words, "--json").out
    assert len(desk.ask("list", "--inventory", odd)["files"]) == 1


def test_what_a_killed_process_left_beside_goes_with_the_next_one(tmp_path, desk: Desk):
    saved = inventory(tmp_path / "a.parquet", "edit-01", {"kite.jpg": b"kite"})
    code = (
        "import os, signal; from foldkeep.engine import open_inventories\n"
        f"with open_inventories([{str(saved)!r}]): os.kill(os.getpid(), signal.SIGKILL)"
    )
    variables = {**os.environ, "TMPDIR": str(tmp_path)}
    subprocess.run([sys.executable, "-c", code], env=variables, check=False)
    left = [path for path in tmp_path.iterdir() if path.is_dir() and path.name.startswith("foldkeep-")]
    assert left
    (tmp_path / "foldkeep-elsewhere-1-x").mkdir()
    line = [sys.executable, "-m", "foldkeep", "inventory", "show", saved]
    assert subprocess.run(line, env=variables, check=False, capture_output=True).returncode == 0
    assert [path.name for path in tmp_path.iterdir() if path.name.startswith("foldkeep-")] == ["foldkeep-elsewhere-1-x"]


def test_what_two_inventories_tell_of_counts_once(tmp_path, desk: Desk):
    """An older inventory of a place, a drive that travelled, one name of two machines: no file is its own copy."""
    old = inventory(tmp_path / "old.parquet", "edit-01", {"kite.jpg": b"kite" * 9, "gone.jpg": b"gone"}, saved=10**18)
    new = inventory(tmp_path / "new.parquet", "edit-01", {"kite.jpg": b"kite" * 9})
    drive = inventory(tmp_path / "drive.parquet", "edit-02", {"kite.jpg": b"kite" * 9}, volume="uuid:edit-01",
                      saved=10**18 + 1)  # fmt: skip
    twin = inventory(tmp_path / "twin.parquet", "edit-01", {"sun.jpg": b"sun"}, id="another", volume="device:1")
    answer = desk.run("list", "--json", *(word for path in (old, new, drive, twin) for word in ("--inventory", path)))
    assert sorted(file["path"] for file in answer.json["files"]) == [
        "//edit-01-2/media/sun.jpg", "//edit-01/media/kite.jpg"]  # fmt: skip
    assert answer.err.count("does not count") == 2
    assert "Two machines are called edit-01" in answer.err
    assert desk.ask("duplicates", "--inventory", tmp_path)["sets"] == []


@pytest.mark.parametrize("harm", ["flipped", "cut", "longer", "columns", "head", "empty"])
def test_what_is_no_whole_inventory_is_refused_in_one_line(tmp_path, desk: Desk, harm):
    import duckdb

    path = inventory(tmp_path / "a.parquet", "edit-01", {"kite.jpg": b"kite"})
    whole = path.read_bytes()
    if harm in ("columns", "head"):
        from foldkeep.formats.columns import seal

        path.unlink()
        told = "{}" if harm == "head" else duckdb.sql("SELECT 1")
        keys = f"{{'{seal.HEAD_KEY}': '{told if harm == 'head' else '{}'}', '{seal.SEAL_KEY}': '{seal.EMPTY_SEAL}'}}"
        duckdb.sql("SELECT 1 AS size").write_parquet(str(path)) if harm == "" else duckdb.execute(
            f"COPY (SELECT 1 AS size) TO '{path}' (FORMAT parquet, KV_METADATA {keys})"
        )
        with open(path, "r+b") as file:
            seal.seal(file)
    else:
        body = {"flipped": whole[:99] + bytes([whole[99] ^ 1]) + whole[100:], "cut": whole[:-9], "longer": whole + b"0",
                "empty": b"PAR1"}[harm]  # fmt: skip
        path.write_bytes(body)
    for words in (["list", "--inventory", path], ["inventory", "show", path], ["compare", path, path],
                  ["coverage", "--with-inventory", path], ["keep", "--inventory", path, "-o", tmp_path / "out"],
                  ):  # fmt: skip
        desk.run("scan", desk.place)
        answer = desk.run(*words)
        assert (answer.status, answer.err.count("\n")) == (2, 1), (words, answer.err)
        assert "is no whole inventory" in answer.err


def test_each_machine_gets_a_docket_with_its_spares_and_their_keepers(tmp_path, desk: Desk):
    desks = tmp_path / "desks"
    desks.mkdir()
    inventory(desks / "a.parquet", "edit-01", {"sorted/2026/kite.jpg": b"kite" * 9,
                                              "sorted/2026/in use.jpg": b"used" * 9,
                                              "twice/a.jpg": b"twice" * 9, "twice/a copy.jpg": b"twice" * 9},
              used={"sorted/2026/in use.jpg": "used by cut.edl"})  # fmt: skip
    inventory(
        desks / "b.parquet",
        "edit-02",
        {"Untitled import/kite.jpg": b"kite" * 9, "Untitled import/in use.jpg": b"used" * 9},
    )
    answer = desk.ask("keep", "--inventory", desks, "-o", tmp_path / "dockets", "--prefer", "place:edit-01:media")
    told = {each["machine"]: (each["spares"], each["keepers_elsewhere"]) for each in answer["dockets"]}
    assert told == {"edit-01": (1, 0), "edit-02": (2, 2)}
    rows = list(csv.DictReader((tmp_path / "dockets/edit-02.csv").read_text().splitlines()))
    home, there = "file:///media/Untitled%20import/", "file://edit-01/media/sorted/2026/"
    assert sorted((row["action"], row["uri"]) for row in rows) == [
        ("fold", f"{home}in%20use.jpg"), ("fold", f"{home}kite.jpg"),
        ("keep", f"{there}in%20use.jpg"), ("keep", f"{there}kite.jpg"),
    ]  # fmt: skip
    before = inventory(tmp_path / "c.inventory", "edit-03", {"kite.jpg": b"kite" * 9})
    refused = desk.run("keep", "--inventory", before, "-o", tmp_path / "more")
    assert (refused.status, "does not say what projects" in refused.err) == (2, True)


def test_sets_of_many_are_those_of_a_plain_count(tmp_path):
    """Ten machines with files drawn by a rule; the sets are counted by a dictionary."""
    bodies: dict[bytes, set[str]] = {}
    for machine in range(10):
        files = {}
        for number in range(60):
            body = b"%d" % (number * (machine % 3 + 1) % 47) * 5
            files[f"{number % 5}/{number}.jpg"] = body
            bodies.setdefault(body, set()).add(f"//edit-{machine}/media/{number % 5}/{number}.jpg")
        inventory(tmp_path / f"{machine}.{'inventory' if machine % 2 else 'parquet'}", f"edit-{machine}", files)
    with open_inventories([str(tmp_path)]) as asked:
        found = duplicates(asked.stock)
        sets = {frozenset(os.fsdecode(copy.path) for copy in one.copies) for one in found.sets()}
        totals = found.overview().totals
    wanted = {frozenset(paths) for paths in bodies.values() if len(paths) > 1}
    assert sets == wanted
    assert (totals.sets, totals.spares) == (len(wanted), sum(len(paths) - 1 for paths in wanted))
    assert json.dumps(totals)


def test_two_days_of_many_machines_are_compared_as_two_stocks_are(tmp_path, desk: Desk):
    """What changed between two sets of inventories, beside the comparison that has all of both in memory."""
    monday, tuesday = tmp_path / "monday", tmp_path / "tuesday"
    monday.mkdir()
    tuesday.mkdir()
    files = {f"{n % 7}/{n}.jpg": b"%d" % (n % 50) * 9 for n in range(90)} | {"void.jpg": b"", "unread.jpg": None}
    later = {name: body for name, body in files.items() if not name.startswith("3/")}
    later |= {"4/4.jpg": b"edited", "new/new.jpg": b"new", "moved/11.jpg": files["4/11.jpg"], "5/5.jpg": b"5" * 9}
    del later["4/11.jpg"]
    for day, known in ((monday, files), (tuesday, later)):
        inventory(day / "one.parquet", "edit-01", known)
        inventory(day / "one.inventory", "edit-01", known)
    for filters in ([], ["--kind", "photo", "--larger-than", "5B"], ["--name", "1*"], ["--under", "/media/4"]):
        in_memory = desk.ask("compare", monday / "one.inventory", tuesday / "one.inventory", *filters)
        by_columns = desk.ask("compare", monday / "one.parquet", tuesday / "one.parquet", *filters)
        for answer in (in_memory, by_columns):
            del answer["first"], answer["second"]
        assert by_columns == in_memory
    inventory(monday / "two.parquet", "edit-02", files)
    inventory(tuesday / "two.parquet", "edit-02", files | {"more.jpg": b"more"})
    found = desk.ask("compare", monday / "*.parquet", tuesday / "*.parquet")
    same = sum(body is not None and later.get(name) == body for name, body in files.items())
    assert found["totals"]["same"]["files"] == same + len(files) - 1  # what nobody read has another time
    assert "//edit-02/media/more.jpg" in [change["after"]["path"] for change in found["added"]]


def test_inventories_on_a_server_are_asked_as_those_here(desk: Desk, tmp_path: Path):
    with cloud(tmp_path / "server") as server:
        far = f"{server.url.rstrip('/')}/saved here"
        here = server.folder / "saved here"
        here.mkdir()
        inventory(here / "edit-01.parquet", "edit-01", {"red.jpg": b"red", "both.jpg": b"both"})
        inventory(here / "edit-02.inventory", "edit-02", {"blue.jpg": b"blue", "again.jpg": b"both"})
        (here / "notes.txt").write_text("no inventory")
        desk.write("red.jpg", b"red")
        desk.ask("scan", desk.place, "--read-all")
        many = far.replace(" ", "%20")
        for words in (
            ["duplicates", "--inventory", "{}"], ["list", "--inventory", "{}/*.parquet"],
            ["list", "--inventory", "{}/edit-02.inventory"], ["space", "--inventory", "{}", "--by", "place"],
            ["compare", "{}/edit-01.parquet", "{}/edit-02.inventory"],
            ["orphans", "--inventory", "{}", "--catalog", "none"],
            ["coverage", "--with-inventory", "{}/edit-01.parquet"], ["list", "--inventory", "{}/none.parquet"],
            ["fixity", "--with-inventory", "{}/edit-01.parquet"], ["keep", "--inventory", "{}", "-o", "dockets-{}"],
        ):  # fmt: skip
            answers = []
            for top in (os.fspath(here), many):
                line = [
                    word.format(top) if "dockets" not in word else str(tmp_path / str(len(answers))) for word in words
                ]
                answers.append(desk.run(*line, "--json"))
            local, remote = answers
            assert (local.status, remote.status) in ((0, 0), (2, 2)), (local, remote)
            if local.status == 0:
                said = [answer.out.replace(os.fspath(here), "").replace(far, "") for answer in answers]
                assert _timeless(said[0]) == _timeless(said[1])
        content = bytearray((here / "edit-01.parquet").read_bytes())
        content[-20] ^= 1
        (here / "edit-01.parquet").write_bytes(content)
        for word in (f"{many}/edit-01.parquet", many):
            answer = desk.run("duplicates", "--inventory", word)
            assert (answer.status, answer.err.count("\n")) == (2, 1)
            assert f"{far}/edit-01.parquet" in answer.err, answer
    answer = desk.run("duplicates", "--inventory", many)
    assert (answer.status, answer.err.count("\n")) == (2, 1), answer


def _timeless(text: str) -> dict:
    return {name: value for name, value in json.loads(text).items() if name not in ("seconds", "checked", "dockets")}


def test_what_is_alike_on_two_machines_is_found_by_what_their_inventories_carry(tmp_path: Path, sample: Path):
    desks = []
    for name in ("edit-01", "edit-02", "both", "nothing-known"):
        (tmp_path / name).mkdir()
        desks.append(Desk(tmp_path / name))
    asked = desks.pop()
    for number, path in enumerate(sorted((sample / "library").glob("**/*.*"))):
        if path.is_file() and not path.is_symlink():
            for desk in (desks[number % 2], desks[2]):
                new = desk.place / f"{number % 2}" / path.relative_to(sample)
                new.parent.mkdir(parents=True, exist_ok=True)
                shutil.copy2(path, new)
    saved = tmp_path / "saved"
    saved.mkdir()
    for desk in desks[:2]:
        desk.ask("scan", desk.place)
        name = desk.top.name
        line = ["inventory", "save", saved / f"{name}.parquet", "--machine", name, "--signals"]
        assert desk.ask(*line)["measured"] > 20
        assert desk.run("inventory", "save", saved / f"{name}.inventory", "--signals").status == 2
    desks[2].ask("scan", desks[2].place)

    def groups(desk: Desk, *words: object) -> list[tuple]:
        """Return the groups with their members, by the end of their paths, and all that is said of these."""
        return sorted(
            (group["what"], group["strength"], sorted(map(told, group["members"])))
            for group in desk.ask("alike", *map(str, words))["groups"]
        )

    def told(member: dict) -> tuple:
        place = member["path"].partition("/place/")[2]
        return place, member["copies"], member["why"], member["like"], *member["differs"]

    found = groups(asked, "--inventory", saved)
    assert found == groups(desks[2])
    assert sum(len({told[0][0] for told in members}) > 1 for _, _, members in found) > 3  # of both machines
    assert groups(asked, "--inventory", saved, "--kind", "audio") == groups(desks[2], "--kind", "audio")
    for word in ("-o", "--near", "--against", "--cluster"):
        assert asked.run("alike", "--inventory", saved, word, "x").status == 2
    plain = tmp_path / "plain.parquet"
    desks[0].ask("inventory", "save", plain)
    assert "carry no prints" in asked.run("alike", "--inventory", plain).err
