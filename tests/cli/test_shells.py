"""Completion in the shells themselves, and the manual in man."""

import os
import pty
import re
import select
import shutil
import subprocess
import sys
from pathlib import Path

import pytest

from foldkeep.cli.main import COMMANDS
from foldkeep.cli.manual import pages
from harness.desks import Desk

CASES = {
    "foldkeep checku": {"checkup"},
    "foldkeep duplicates --larger": {"--larger-than"},
    "foldkeep fold --method co": {"copy"},
    "foldkeep checkup --only fi": {"fixity"},
    "foldkeep help safe": {"safety"},
    "foldkeep list --place ca": {"card of may"},
    "foldkeep unfold ": {"1"},
    "foldkeep list --kind vi": {"video"},
    "foldkeep caches --trust wavef": {"waveforms"},
    "foldkeep scan no-such-fol": {"no-such-folder"},
}
"""What is typed, and what it is completed to."""


def needs(shell: str) -> pytest.MarkDecorator:
    return pytest.mark.skipif(not shutil.which(shell), reason=f"there is no {shell} here")


@pytest.fixture
def shelled(desk: Desk, monkeypatch) -> Desk:
    """A desk with a place that has a space in its name, a run, the program in PATH, and the scripts of all shells."""
    desk.place = desk.top / "card of may"
    desk.place.mkdir()
    for name in ("kite.jpg", "old/kite.jpg"):
        desk.write(name, b"k" * 9000)
    desk.proposed()
    desk.ask("fold", desk.docket, "--yes")
    (desk.top / "no-such-folder").mkdir()
    for shell in ("bash", "zsh", "fish"):
        answer = desk.run("completion", shell)
        assert (answer.status, answer.err) == (0, "")
        (desk.top / f"script.{shell}").write_text(answer.out)
    monkeypatch.chdir(desk.top)
    monkeypatch.setenv("PATH", f"{Path(sys.executable).parent}:{os.environ['PATH']}")
    monkeypatch.setenv("FOLDKEEP_STOCK", str(desk.stock))
    monkeypatch.setenv("HOME", str(desk.top))
    return desk


@needs("bash")
@pytest.mark.parametrize("line", CASES)
def test_bash_completes(shelled: Desk, line: str):
    words = line.split(" ")
    code = f"source script.bash; COMP_WORDS=({' '.join(words[:-1])} '{words[-1]}'); COMP_CWORD={len(words) - 1}"
    code += '; _shtab_foldkeep; for word in "${COMPREPLY[@]}"; do eval "printf \'%s\\n\' $word"; done'
    said = subprocess.run(["bash", "--norc", "-c", code], capture_output=True, text=True, check=True)
    assert set(said.stdout.splitlines()) == CASES[line], said


@needs("bash")
def test_a_stock_that_the_line_names_is_asked(shelled: Desk, tmp_path_factory):
    other = Desk(tmp_path_factory.mktemp("other"))
    other.ask("scan", other.place)
    code = f"source script.bash; COMP_WORDS=(foldkeep list --stock {other.stock} --place ''); COMP_CWORD=5"
    code += '; _shtab_foldkeep; echo "${COMPREPLY[@]}"'
    assert subprocess.run(["bash", "--norc", "-c", code], capture_output=True, text=True).stdout == "place\n"
    assert shelled.run("completion", "--values", "runs", "--stock", shelled.top / "none").out == ""
    assert shelled.run("completion", "--values", "places", "--stock", shelled.docket).out == ""


@needs("fish")
@pytest.mark.parametrize("line", CASES)
def test_fish_completes(shelled: Desk, line: str):
    said = subprocess.run(
        ["fish", "--no-config", "-c", f"source script.fish; complete -C '{line}'"],
        capture_output=True,
        text=True,
        check=True,
    )
    assert {each.partition("\t")[0].rstrip("/") for each in said.stdout.splitlines()} == CASES[line], said


@needs("zsh")
def test_zsh_completes(shelled: Desk):
    """Type each line and the tabulator into a real zsh, then have it print the words that stand there."""
    shown = shelled.top / "shown"
    (shelled.top / "functions").mkdir()
    (shelled.top / "script.zsh").rename(shelled.top / "functions/_foldkeep")
    pid, terminal = pty.fork()
    if pid == 0:
        os.execvp("zsh", ["zsh", "-f", "-i"])  # noqa: S606
    try:
        send(terminal, "PS1='> '; fpath=($PWD/functions $fpath); autoload -U compinit; compinit -u\n", 0.5)
        for line, (expected,) in CASES.items():
            for seconds in (0.3, 1.0, 4.0, 16.0):  # the helper of a loaded machine takes longer
                send(terminal, f"{line}\t", seconds)
                send(terminal, "\x01print -rl -- \x05 > shown.new; mv shown.new shown\n", 0.2)
                while not shown.exists():
                    send(terminal, "", 0.1)
                word = shown.read_text().splitlines()[-1].rstrip("/")
                shown.unlink()
                if word == expected:
                    break
            assert word == expected, line
    finally:
        os.close(terminal)
        os.waitpid(pid, 0)


def send(terminal: int, text: str, seconds: float) -> None:
    """Type, and read what is shown until nothing more comes for some time."""
    os.write(terminal, text.encode())
    while select.select([terminal], [], [], seconds)[0]:
        os.read(terminal, 65536)


def test_the_manual_has_a_page_a_command():
    assert set(pages()) == {"foldkeep.1", *(f"foldkeep-{name}.1" for name in COMMANDS)}
    for name, page in pages().items():
        assert not re.search(r"^\.(?![A-Z])", page, re.MULTILINE), name
        assert "%%" not in page
    assert "machine\\-key" in pages()["foldkeep-vouch.1"]
    assert "machine\\-key" not in pages()["foldkeep-places.1"], "what another command has now is told nowhere"
    assert "\\-y, \\-\\-yes" in pages()["foldkeep-fold.1"]


@pytest.mark.more
@needs("man")
@pytest.mark.parametrize("name", ["foldkeep.1", *(f"foldkeep-{name}.1" for name in COMMANDS)])
def test_man_has_no_warning(tmp_path: Path, name: str):
    (tmp_path / name).write_text(pages()[name])
    named = {**os.environ, "LC_ALL": "C.UTF-8", "MANWIDTH": "80"}
    line = ["man", "--warnings", "-E", "UTF-8", "-l", "-Tutf8", "-Z", tmp_path / name]
    assert subprocess.run(line, env=named, capture_output=True, text=True, check=True).stderr == ""
    shown = subprocess.run(["man", "-l", tmp_path / name], env=named, capture_output=True, text=True, check=True).stdout
    assert "EXIT STATUS" in shown
