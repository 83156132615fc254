"""A share that stops answering holds nothing up."""

import signal
import subprocess
import sys
import time
from collections.abc import Iterator
from pathlib import Path

import psutil
import pytest

from foldkeep.scan import afar
from foldkeep.storage.local.drives import volumes
from harness.desks import Desk
from harness.drives import Shared

pytestmark = pytest.mark.on_disk


def stop(shared: Shared, signal_: signal.Signals) -> None:
    """Stop, or carry on, the program behind the mount: the server went away and nobody says so."""
    for process in psutil.process_iter(["cmdline"]):
        words = process.info["cmdline"] or [""]
        if words[0].endswith("sshfs") and str(shared.point) in words:
            process.send_signal(signal_)


@pytest.fixture
def hanging(tmp_path: Path) -> Iterator[tuple[Shared, Desk]]:
    shared = Shared(tmp_path)
    try:
        desk = Desk(tmp_path)
        desk.write("near.jpg", b"kite" * 3000)
        desk.ask("scan", desk.place)
        for number in range(12):
            (shared.point / f"kite {number}.jpg").write_bytes(b"%d" % number * 9000)
        assert desk.run("scan", shared.point).status == 0
        yield shared, desk
    finally:
        stop(shared, signal.SIGCONT)
        shared.close()


def test_a_share_that_stops_answering_is_told_and_holds_nothing_up(hanging, monkeypatch):
    shared, desk = hanging
    for module in (volumes, afar):
        monkeypatch.setattr(module, "ANSWER_SECONDS", 1.0)
    volumes._answered.clear()
    stop(shared, signal.SIGSTOP)
    answer = desk.run("scan")
    assert (answer.status, answer.err.count("does not answer; what is known of it stays")) == (1, 1), answer
    assert {each["path"]: each["now"] for each in desk.ask("places")["places"]}[str(shared.point)] == "no answer"
    refused = desk.run("scan", shared.point)
    assert (refused.status, "does not answer" in refused.err) == (2, True), refused
    assert desk.run("duplicates").status == 0
    stop(shared, signal.SIGCONT)
    volumes._answered.clear()
    assert desk.ask("scan")["files"] == 13


def test_a_share_that_stops_answering_in_the_middle_of_a_scan_is_given_up(hanging, monkeypatch):
    shared, desk = hanging
    monkeypatch.setattr(afar, "ANSWER_SECONDS", 1.0)
    for number in range(12):  # all have to be read
        (desk.place / f"copy {number}.jpg").write_bytes(b"%d" % number * 9000)
        (shared.point / f"kite {number}.jpg").write_bytes(b"%d" % number * 9000 + b"!")
        (desk.place / f"other {number}.jpg").write_bytes(b"%d" % number * 9000 + b"!")
    real = afar.FarPlaces._read_afar

    def stops(*args):
        stop(shared, signal.SIGSTOP)
        return real(*args)

    monkeypatch.setattr(afar.FarPlaces, "_read_afar", stops)
    answer = desk.run("scan", "--json")
    assert answer.status == 1
    problems = answer.json["problems"]
    assert {each["reason"] for each in problems} == {afar.NO_ANSWER}
    assert 1 <= len(problems) <= 12
    assert answer.json["files"] == 37


def test_what_is_slow_and_answers_is_not_given_up(hanging, monkeypatch):
    """A folder of many files over a slow network: each is answered in time, all of them together are not."""
    shared, desk = hanging
    monkeypatch.setattr(afar, "ANSWER_SECONDS", 1.5)
    code = "import os, time, runpy; real = os.open"
    code += "; os.open = lambda *args, **named: (time.sleep(0.25), real(*args, **named))[1]"
    code += "; runpy.run_module('foldkeep.scan.afar', run_name='__main__')"
    real = subprocess.Popen

    def slowly(line, **named):
        return real([sys.executable, "-c", code] if "foldkeep.scan.afar" in line else line, **named)

    monkeypatch.setattr(afar.subprocess, "Popen", slowly)
    for number in range(12):
        (shared.point / f"kite {number}.jpg").write_bytes(b"%d" % number * 9001)
        (desk.place / f"copy {number}.jpg").write_bytes(b"%d" % number * 9001)
    answer = desk.ask("scan")
    assert (answer["files"], answer["problems"]) == (25, [])
    assert len(desk.ask("duplicates")["sets"]) == 12


def test_ctrl_c_ends_what_waits_for_a_share_that_does_not_answer(hanging):
    shared, _ = hanging
    code = (
        "import os, signal, sys; sys.path[:0] = sys.argv[2:];"
        "signal.signal(signal.SIGINT, signal.default_int_handler);"  # which a shell may have had ignored
        "from foldkeep.cli.interrupts import watch_for_interrupts; watch_for_interrupts();"
        "print('begins', flush=True); os.listdir(sys.argv[1])"
    )
    stop(shared, signal.SIGSTOP)
    line = [sys.executable, "-c", code, shared.point, *sys.path]
    with subprocess.Popen(line, stdout=subprocess.PIPE, stderr=subprocess.PIPE) as waiting:
        assert waiting.stdout.readline() == b"begins\n"
        time.sleep(0.5)
        waiting.send_signal(signal.SIGINT)
        try:
            _, told = waiting.communicate(timeout=30)
        finally:
            waiting.kill()
    assert (waiting.returncode, b"a drive or share did not answer" in told) == (130, True), told
