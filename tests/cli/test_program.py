"""The built program as its users meet it: help, wrong usage, pipes, the README."""

import io
import json
import os
import re
import shlex
import shutil
import signal
import subprocess
import sys
from functools import partial, reduce
from pathlib import Path

import pytest

from foldkeep import __version__
from foldkeep.cli import Environment, main
from foldkeep.cli.main import _WORDS_FOR, COMMANDS
from foldkeep.demo.cloud import Cloud
from harness.desks import Desk, Typed, on_a_terminal, program

ROOT = Path(__file__).parents[2]


def test_help_is_a_guide_and_every_command_ends_with_examples():
    guide = program("--help")
    assert (guide.returncode, guide.stderr) == (0, "")
    assert len(guide.stdout.splitlines()) <= 24, "one screen"
    assert max(map(len, guide.stdout.splitlines())) <= 80
    everything = program("help", "all")
    order = [everything.stdout.index(f"\n  {name} ") for name in COMMANDS]
    assert order == sorted(order)
    narrow = program("--help", env={**os.environ, "COLUMNS": "60"}).stdout
    assert narrow.split() == guide.stdout.split()
    assert max(map(len, narrow.splitlines())) <= 60
    for name in COMMANDS:
        answer = program(name, "--help")
        assert answer.returncode == 0
        examples = answer.stdout.partition("examples:\n")[2].strip().splitlines()
        assert 2 <= len(examples) <= 3
        assert all(line.strip().startswith(f"foldkeep {name}") for line in examples)
    assert program("--version").stdout == f"foldkeep {__version__}\n"


def test_words_that_people_try_lead_to_the_command(desk: Desk):
    for word, meant in {"status": "foldkeep", "verify": "foldkeep ledger --verify", "config": "foldkeep settings",
                        "undo": "foldkeep unfold", "delete": "foldkeep release"}.items():  # fmt: skip
        answer = desk.run(word)
        assert (answer.status, answer.err) == (2, f"foldkeep: there is no command {word}; you may mean: {meant}\n")
    for word in _WORDS_FOR.values():
        assert not word or word.split()[0] in {*COMMANDS, "--version"}
    assert desk.run("version").err.endswith("you may mean: foldkeep --version\n")


def test_former_names_and_short_ones_go_on_working(desk: Desk):
    desk.write("one/kite.jpg", b"k")
    desk.write("two/kite.jpg", b"k")
    desk.proposed()
    there = desk.top / "spares"
    there.mkdir()
    assert desk.run("fold", desk.docket, "--method", "move", "--into", there, "-y", "-q", "-j").json["folded"] == 1
    desk.ask("unfold", "1")
    refused = desk.run("fold", desk.docket, "--method", "delete", "--for-good", "-y")
    assert (refused.status, "say --for-good and --yes as well" in refused.err) == (2, True), "no short yes deletes"
    for words in (
        ("duplicates", "--match", "name"),
        ("keep", "--match", "name"),
        ("bin", "--older-than", "30d"),
        ("room", "1kB", "--on", "place"),
        ("places", "--machine-key"),
    ):
        assert desk.run(*words).status <= 1, words
        shown = desk.run(words[0], "--help").out
        assert next(word for word in words if word.startswith("--")) not in shown, "told nowhere"
    assert desk.run("list", "-n", "1", "-j").json["files"]
    assert desk.run("list", "-n", "0").status == 0, "which lists nothing; the tour does it"
    for words in (("list", "--top", "-1"), ("space", "--depth", "0"), ("list", "-n", "x")):
        assert desk.run(*words).status == 2, words
    assert "Next: " not in desk.run("scan", "-q").out
    assert "files" in desk.run("scan", "-q").out, "quiet never silences the answer"


def test_wrong_usage_is_one_line_and_changes_nothing(desk: Desk):
    other = desk.top / "other.sqlite3"
    other.write_bytes(b"SQLite format 3\0 but not really" * 100)
    foreign = desk.top / "foreign.sqlite3"
    subprocess.run([sys.executable, "-c", f"import sqlite3; d = sqlite3.connect({str(foreign)!r});"
                    "d.execute('create table mine (x)'); d.commit()"], check=True)  # fmt: skip
    (desk.place / "file").write_text("x")
    fold = desk.place / ".foldkeep"
    fold.mkdir()
    desk.docket.write_text("set,action,path,size,kind,modified,digest,reason,uri\n")
    desk.run("scan", desk.place)
    cases = {
        ("scna",): "there is no command scna; did you mean `foldkeep scan`?",
        ("--json",): "options stand after the command: foldkeep COMMAND --json",
        ("--json", "scna"): "there is no command scna; did you mean `foldkeep scan`?",
        ("--top", "3", "list"): "options stand after the command: foldkeep list --top",
        ("scan", desk.top / "gone"): "no such file or directory; name a folder",
        ("scan", desk.place / "file"): "not a directory; name a folder",
        ("scan", fold): "it lies in a fold; name the place above it",
        ("scan", desk.place, "--role", "spare"): "--role: spare is none of working, backup, archive",
        ("scan", desk.place, "--stock", "/dev/null/stock"): "cannot use the stock /dev/null/stock",
        ("scan", desk.place, "--stock", desk.top): "cannot use the stock",
        ("scan", desk.place, "--stock", other): "name another with --stock FILE",
        ("scan", desk.place, "--stock", foreign): "an SQLite file of another program",
        ("duplicates", "--stock", desk.top / "none"): "there is no stock yet at",
        ("duplicates", "--top", "x"): "--top: not a number: 'x'",
        ("duplicates", "--larger", "3"): "there is no option --larger; did you mean --larger-than?",
        ("duplicates", "--tpo=3"): "there is no option --tpo; did you mean --top?",
        ("scan", desk.place, "--role", "back"): "did you mean backup?",
        ("list", "kites"): "kites is one word too many; see foldkeep list --help",
        ("checkup", "--only", "space", "--only", "drvies"): "--only drvies is no topic; did you mean drives?",
        ("keep", "-o", desk.docket, "--prefer", "older"): "'older' is no rule; did you mean oldest?",
        ("keep", "-o", desk.docket, "--prefer", "place:attic"): "'place:attic' names no place",
        ("keep", "-o", desk.docket, "--protect", "attic"): "nothing is called attic, so it cannot be protected",
        ("keep", "-o", desk.docket, "--at-least", "0"): "--at-least 0 would keep nothing",
        ("keep", "-o", desk.top / "no/docket.csv"): "cannot write ",
        ("fold", desk.place / "gone.csv"): "cannot read the docket",
        ("fold", desk.place / "file"): "is not a docket",
        ("fold", desk.docket, "--method", "burn"): "burn is none of fold, move",
        ("fold", desk.docket, "--method", "move"): "--method move and --to DIR go together; name both",
        ("fold", desk.docket, "--to", desk.place): "--method move and --to DIR go together; name both",
        ("fold", desk.docket, "--method", "move", "--to", desk.top / "none"): "an existing folder",
        ("fold", desk.docket, "--method", "move", "--to", fold): "outside every fold",
        ("fold", desk.docket, "--method", "delete", "--yes"): "say --for-good and --yes as well",
        ("fold", desk.docket, "--method", "delete", "--for-good"): "say --for-good and --yes as well",
        ("unfold", "--from", desk.top / "none"): "has no fold: no such file or directory; name the folder that holds",
        ("unfold", "--from", desk.place, "--path", "x"): "--from takes all that waits there",
        ("unfold",): "no run is named; say which: a number, --last",
        ("unfold", "7"): "there is no run 7; see foldkeep ledger",
        ("release",): "no run is named",
        ("release", "--older-than", "soon"): "not an age: 'soon'; write one like 30d, 2w, 6m or 5y",
        ("ledger", "7"): "there is no run 7; see foldkeep ledger",
        ("demo", desk.place): "is not empty; name a new folder, or none",
        ("duplicates", "--same", "colour"): "copies cannot be the same in colour; there are content, name, size",
        ("duplicates", "--sort", "luck"): "sets cannot be sorted by luck; there are saving, size, count, name",
        ("duplicates", "--larger-than", "big"): "not a size: 'big'; write one like 200MB or 1.5GiB",
        ("places", "attic"): "no place is called attic; see foldkeep places",
        ("places", "--role", "backup"): "no place is named; name one by its label",
        ("scan", desk.place, "--config", desk.top / "none.toml"): "there is no settings file",
    }
    for words, why in cases.items():
        answer = desk.run(*words)
        assert (answer.status, answer.out, answer.err.count("\n")) == (2, "", 1), (words, answer)
        assert why in answer.err, words
    assert other.read_bytes().startswith(b"SQLite format 3\0 but")


def test_answers_fit_pipes_and_terminals(desk: Desk):
    long = "kites over the meadow " * 8
    desk.write(f"{long}.jpg", b"k" * 40)
    desk.write(f"{long} copy.jpg", b"k" * 40)
    desk.write(b"[red]\x1b[31m\xff.jpg", b"m" * 9)
    desk.write(b"[red]\x1b[31m\xff (1).jpg", b"m" * 9)
    variables = {**os.environ, "FOLDKEEP_STOCK": str(desk.stock), "TERM": "xterm", "COLUMNS": ""}
    assert program("scan", desk.place, env=variables).stdout.startswith("Scanned ")
    piped = program("duplicates", env=variables).stdout
    assert f"{desk.place}/{long} copy.jpg\n" in piped
    assert f"{desk.place}/[red]\\x1b[31m\\xff (1).jpg\n" in piped
    assert "\x1b" not in piped
    assert not set("─│┌━") & set(piped)
    plain, colored = (on_a_terminal(["duplicates"], {**variables, **more}) for more in ({"NO_COLOR": "1"}, {}))
    assert "\x1b[32m" in colored
    assert "\x1b[31m" not in colored, "a name must not act on the terminal"
    assert re.sub(r"\x1b\[[\d;]*m", "", colored) == re.sub(r"\x1b\[[\d;]*m", "", plain)
    assert not re.search(r"\x1b\[[\d;]*3\dm", plain)
    shown = re.sub(r"\x1b\[[\d;]*m", "", plain).replace("\r", "").splitlines()
    assert max(map(len, shown)) <= 80
    assert f"Allbelow{desk.place}:" in "".join(shown).replace(" ", "")
    assert f"{long} copy.jpg".replace(" ", "") in "".join(shown).replace(" ", "")


LOOKING = (["space"], ["space", "--by", "kind", "--largest", "3"], ["list", "--sort", "age", "--top", "5"],
           ["compare", "library", "shelf-drive"], ["inventory", "show", "drive.inventory"], ["places"],
           ["show", "library/stills/camera-a/day-1/WKD_0003.jpg"], ["duplicates"], ["ledger"])  # fmt: skip


@pytest.mark.parametrize("words", LOOKING, ids=" ".join)
def test_what_is_looked_at_fits_80_columns_and_pipes(words: list[str], tour: Path, monkeypatch):
    monkeypatch.chdir(tour)
    variables = {**os.environ, "FOLDKEEP_STOCK": "stock.sqlite3", "TERM": "xterm", "COLUMNS": ""}
    shown = re.sub(r"\x1b\[[\d;]*m", "", on_a_terminal(words, variables)).replace("\r", "").splitlines()
    assert 2 < max(map(len, shown)) <= 80
    desk = Desk(tour)
    piped = desk.run(*words, FOLDKEEP_STOCK="stock.sqlite3")
    assert (piped.status, piped.err) == (0, "")
    assert not set("\x1b─│█▌") & set(piped.out)
    assert not re.search(r" \n", piped.out.replace("  \n", "\n", 1))
    assert desk.run(*words, "--json", FOLDKEEP_STOCK="stock.sqlite3").json["command"] == words[0]


@pytest.fixture(scope="module")
def tour(sample: Path, tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The sample library, scanned, with an inventory of the drive."""
    top = tmp_path_factory.mktemp("tour")
    subprocess.run(["cp", "-a", sample / "library", sample / "shelf-drive", top], check=True)
    for line in (
        ["scan", "library"],
        ["scan", "shelf-drive", "--role", "backup"],
        ["inventory", "save", "drive.inventory"],
    ):
        assert program(*line, "--stock", "stock.sqlite3", cwd=top).returncode == 0
    return top


def test_a_reader_that_leaves_and_a_full_disk_are_no_tracebacks(desk: Desk):
    for number in range(300):
        desk.write(f"{number % 100}/{number}.jpg", b"%d" % (number % 100) * 50)
    desk.ask("scan", desk.place)
    line = f"{shlex.quote(sys.executable)} -m foldkeep duplicates --stock {shlex.quote(str(desk.stock))}"
    piped = subprocess.run(f"{line} | head -1", shell=True, capture_output=True, text=True, check=True)
    assert (piped.stdout.split(), piped.stderr) == (["kind", "sets", "spares", "can", "come", "free"], "")
    full = subprocess.run(f"{line} > /dev/full", shell=True, capture_output=True, text=True, check=False)
    assert (full.returncode, full.stderr.count("\n")) == (2, 1)
    assert "no space left on device" in full.stderr


def test_ctrl_c_ends_with_130_and_what_was_read_stays(desk: Desk):
    for number in range(4):
        with (desk.place / f"{number}.mov").open("wb") as file:
            file.truncate(600_000_000)
    process = subprocess.Popen([sys.executable, "-m", "foldkeep", "scan", desk.place, "--stock", desk.stock],
                               stderr=subprocess.PIPE, text=True)  # fmt: skip
    while not desk.stock.exists() or desk.stock.stat().st_size == 0:
        assert process.poll() is None
    signal.sigtimedwait([], 0.3)
    process.send_signal(signal.SIGINT)
    _, errors = process.communicate(timeout=10)
    assert process.returncode == 130
    assert errors.endswith("foldkeep scan: interrupted; what was done so far is kept\n")
    assert "Traceback" not in errors


@pytest.mark.more
def test_the_demo_takes_its_tour_and_touches_only_its_folder(tmp_path: Path):
    home = tmp_path / "home"
    home.mkdir()
    variables = {**os.environ, "HOME": str(home), "XDG_DATA_HOME": str(home), "FOLDKEEP_STOCK": str(home / "mine")}
    answer = program("demo", tmp_path / "kite days", "--json", env=variables)
    tour = json.loads(answer.stdout)
    assert answer.returncode == 0
    wants_somebody = [int("card copies" in step["line"] or "checkup" in step["line"]) for step in tour["steps"]]
    assert [step["status"] for step in tour["steps"]] == wants_somebody
    assert len(tour["steps"]) == 21
    assert tour["unchanged"] is True
    assert tour["files"] > 100
    assert Path(tour["stock"]).exists()
    assert list(home.iterdir()) == []


@pytest.mark.more
def test_the_demo_walks_through_its_cloud(tmp_path: Path):
    answer = program("demo", "--cloud", tmp_path / "kite days", "--json", env={**os.environ, "HOME": str(tmp_path)})
    tour = json.loads(answer.stdout)
    assert (answer.returncode, len(tour["steps"]), tour["unchanged"]) == (0, 22, True), answer
    assert program("demo", "--stay").returncode == 2


# A table of a scheduler that is not this machine's own.
CRONTAB = """#!/bin/sh
case "$1" in -l) cat "$HOME/table" ;; -r) rm "$HOME/table" ;; -) cat > "$HOME/table" ;; esac
"""
ANSWERS = {"guide": "stop\n", "fold": Typed("y\n")}
DOCS = ("CONTRIBUTING.md", *(f"docs/{path.name}" for path in sorted((ROOT / "docs").glob("*.md"))))
WITHOUT_COMMANDS = {"engineers", "formats", "index", "performance", "promises", "scale"}
MAY_WANT_SOMEBODY = (["checkup"], ["coverage"])


@pytest.mark.parametrize(
    "name",
    [
        "README.md",
        *(pytest.param(name, marks=pytest.mark.more) for name in DOCS if Path(name).stem not in WITHOUT_COMMANDS),
    ],
)
def test_every_command_in_the_guides_is_true(name: str, sample_desk: Desk, sample: Path, monkeypatch):
    """Run each `foldkeep` line of the fenced blocks in order, on the sample library as the home of the user."""
    monkeypatch.chdir(sample_desk.top)
    monkeypatch.setattr("foldkeep.demo.guide.make_library", partial(shutil.copytree, sample))  # it was made once
    (sample_desk.top / "crontab").write_text(CRONTAB)
    (sample_desk.top / "crontab").chmod(0o755)
    (sample_desk.top / "table").touch()
    shutil.copytree(sample_desk.place / "stills", sample_desk.top / "server/files/photos")
    blocks = re.findall(r"```(?:console|sh)\n(.*?)```", (ROOT / name).read_text(), re.DOTALL)
    lines = [line.strip().removeprefix("$ ") for line in "".join(blocks).splitlines()]
    makefile = (ROOT / "Makefile").read_text()
    ran = 0
    with Cloud(str(sample_desk.top / "server")) as cloud:
        meant = {"~/Pictures": "place", "~/": "", "https://cloud.windmere.example": cloud.url}
        for line in lines:
            words = shlex.split(line, comments=True)
            if words[:1] == ["make"]:
                assert re.search(rf"^{words[1]}:", makefile, re.MULTILINE), line
                ran += 1
            elif words[:1] == ["foldkeep"]:
                paths = [reduce(lambda word, each: word.replace(*each), meant.items(), word) for word in words[1:]]
                path = f"{sample_desk.top}:/usr/bin:/bin"
                answer = sample_desk.run(*paths, answer=ANSWERS.get("".join(words[1:2]), "y\n"), PATH=path)
                assert answer.status <= (words[1:2] in MAY_WANT_SOMEBODY), (line, answer)
                ran += 1
    assert ran > 0


def test_where_it_cannot_run_one_line_says_so():
    code = "import os, sys; import foldkeep.__main__ as program; os.name = 'nt'; sys.exit(program.start())"
    answer = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=False)
    assert (answer.returncode, answer.stdout) == (2, "")
    assert answer.stderr == (
        "foldkeep: this system has no safe way to move a file; run it on Linux or macOS, or in WSL\n"
    )


@pytest.mark.parametrize("closed", ["<&-", ">&-", "2>&-", "<&- >&- 2>&-"])
def test_a_closed_stream_is_as_one_that_nobody_reads_or_writes(desk: Desk, closed: str):
    desk.write("kite.jpg")
    desk.write("again/kite.jpg")
    variables = {**os.environ, "FOLDKEEP_STOCK": str(desk.stock)}
    for words, status in ((["scan", desk.place], 0), (["keep"], 0), (["fold", "d1"], 2), (["fold", "d1", "--yes"], 0)):
        line = f"{shlex.join([sys.executable, '-m', 'foldkeep', *map(str, words)])} {closed}"
        ended = subprocess.run(
            ["sh", "-c", line], env=variables, capture_output=True, text=True, stdin=subprocess.DEVNULL
        )
        assert (ended.returncode, "Traceback" in ended.stderr, "fault" in ended.stderr) == (status, False, False), line
    assert desk.ask("unfold", "--last")["restored"] == 1


@pytest.mark.parametrize("debug", [False, True])
def test_a_fault_of_our_own_is_one_line_and_all_of_it_with_debug(monkeypatch, tmp_path: Path, debug: bool):
    def faulty(*_):
        raise ValueError("kites\x1b[31m\nin two lines")

    monkeypatch.setattr("foldkeep.cli.commands.places.run", faulty)
    err = io.StringIO()
    words = ["places", "--stock", str(tmp_path / "stock"), *(["--debug"] if debug else [])]
    assert main(words, Environment(io.StringIO(), io.StringIO(), err, {})) == 3
    *told, line = err.getvalue().splitlines()
    assert line.startswith("foldkeep places: a fault of Fold Keep itself (ValueError: kites")
    assert "\x1b" not in line
    assert bool(told) == debug
    assert not debug or (told[0].startswith("Traceback") and told[-1].startswith(f"foldkeep {__version__}, Python"))


def test_help_knows_commands_and_words(desk: Desk):
    assert desk.run("help", "keep").out == desk.run("keep", "--help").out
    words = desk.run("help", "words")
    assert (words.status, words.err) == (0, "")
    assert re.search(r"^keeper +the copy of a set that stays$", words.out, re.MULTILINE)
    assert desk.run("help", "wrods").err == "foldkeep: there is no help on wrods; did you mean `foldkeep help words`?\n"
    everything = desk.run("help").out
    assert len(everything.splitlines()) < 50
    assert max(map(len, everything.splitlines())) <= 80
    for topic in ("rules", "dockets", "safety", "drives"):
        assert desk.run("help", topic).out.count("\n\n") >= 3
        assert topic in everything


def test_written_settings_are_those_built_in_and_none_is_written_over(desk: Desk):
    built_in = desk.ask("settings")["settings"]
    answer = desk.run("settings", "--write")
    assert (answer.status, answer.err) == (0, "")
    path = desk.top / "config/foldkeep/settings.toml"
    assert desk.ask("settings")["settings"] == built_in
    assert desk.run("settings", "--write").status == 2
    text = path.read_text()
    path.write_text(re.sub(r"^# (?=\w+ = )", "", text, flags=re.MULTILINE))
    given = desk.ask("settings")["settings"]
    assert set(built_in) <= set(given)
    assert {value["from"] for value in given.values()} == {"file"}
    samples = {key for key in built_in if given[key]["value"] != built_in[key]["value"]}
    assert {built_in[key]["value"] for key in samples} <= {"[]", "none"}, "what is built in is what is written"
    assert text.count("\n[") == len({key.partition(".")[0] for key in given})


def test_without_a_word_the_first_steps_are_told_and_later_the_commands(desk: Desk):
    assert "foldkeep scan ~/Pictures" in desk.run().out
    desk.write("kite.jpg")
    desk.ask("scan", desk.place)
    desk.write("again/kite.jpg")
    desk.ask("scan", desk.place)
    assert desk.run().out.endswith("Next: foldkeep keep\n")
    desk.ask("keep")
    assert "d1, made just now (keep): 1 spare in 1 set" in desk.run().out
    assert desk.run().out.endswith("Next: foldkeep review d1\n")
    desk.ask("review", answer="2\n")
    assert desk.run().out.endswith("Next: foldkeep fold d1\n")
    desk.ask("fold", "d1", "--yes")
    (desk.place / "kite.jpg").unlink(missing_ok=True)
    assert "1 file (4 B) waits there, run 1; no space is freed yet" in desk.run().out
    assert desk.run().out.endswith("Next: foldkeep checkup\n")


def test_what_is_rare_stands_last_in_the_help(desk: Desk):
    for name in COMMANDS:
        answer = desk.run(name, "--help")
        assert answer.status == 0
        headings = re.findall(r"^(\S.*):$", answer.out, re.MULTILINE)
        assert headings[-2:] == ["everywhere", "examples"]
        assert "rarely needed" not in headings[:-3], name
        assert answer.out.startswith(f"usage: foldkeep {name} [options]")
