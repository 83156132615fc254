"""Reminders: what schedulers are told, that only that is taken away again, and that a person hears of it once."""

import asyncio
import json
import os
import plistlib
import shlex
import shutil
import subprocess
import sys
import time
from datetime import UTC, datetime, timedelta
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from foldkeep.formats.schedules import (
    crontab_lines,
    launchd_plist,
    reminder_in,
    systemd_service,
    systemd_timer,
    without_reminder,
)
from foldkeep.model.reminders import Reminder
from harness.desks import PROGRAM, Desk, program

WORDS = ("/usr/bin/python3", "-m", "foldkeep", "remind", "--if-due", "--stock", "/media/a b/100% $HOME \"x' \\y/;#s")
REMINDER = Reminder("2w", "07:30", "desktop", WORDS)
CRONTAB = """#!/bin/sh
case "$1" in
  -l) cat "$HOME/table" 2>/dev/null || { echo "no crontab for you" >&2; exit 1; } ;;
  -r) rm "$HOME/table" ;;
  -) cat > "$HOME/table" ;;
esac
"""
SYSTEMCTL = """#!/bin/sh
echo "$@" >> "$HOME/said"
[ ! -e "$HOME/refuse" ] || { echo "Failed to connect to bus" >&2; exit 1; }
"""


@pytest.fixture
def home(desk: Desk, monkeypatch) -> Path:
    """A home with programs of its own, which stand for those of the system, and two spares to tell of."""
    for name in ("kite.jpg", "old/kite.jpg"):
        desk.write(name, b"k" * 9000)
    desk.ask("scan", desk.place)
    programs = desk.top / "programs"
    programs.mkdir()
    monkeypatch.setenv("HOME", str(desk.top))
    monkeypatch.setenv("PATH", f"{programs}:/usr/bin:/bin")
    return programs


def put(folder: Path, name: str, script: str) -> None:
    (folder / name).write_text(script)
    (folder / name).chmod(0o755)


def remind(desk: Desk, *words: str, **more: str):
    return desk.run("remind", *words, HOME=str(desk.top), PATH=os.environ["PATH"], **more)


def test_every_form_has_the_reminder_and_the_words_as_they_are(tmp_path: Path):
    for text in (systemd_service(REMINDER), systemd_timer(REMINDER), crontab_lines(REMINDER),
                 launchd_plist(REMINDER).decode()):  # fmt: skip
        said = reminder_in(text)
        assert said is not None
        assert (said.every, said.at, said.by) == ("2w", "07:30", "desktop")
    assert plistlib.loads(launchd_plist(REMINDER))["ProgramArguments"] == list(WORDS)
    assert plistlib.loads(launchd_plist(REMINDER))["StartCalendarInterval"] == {"Hour": 7, "Minute": 30}
    minute, *_, line = crontab_lines(REMINDER).splitlines()[1].split(" ", 5)
    assert minute == "30"
    assert shlex.split(line.replace("\\%", "%")) == list(WORDS)
    for strange in ("", "# Fold Keep reminder: {", "# Fold Keep reminder: []", "<plist>", "bplist00\0",
                    '# Fold Keep reminder: {"every": "0d", "at": "7", "by": ""}'):  # fmt: skip
        assert reminder_in(strange) is None


@pytest.mark.skipif(not shutil.which("systemd-analyze"), reason="there is no systemd-analyze here")
def test_systemd_accepts_the_units(tmp_path: Path):
    real = Reminder("2w", "07:30", "desktop", (sys.executable, *WORDS[1:]))
    (tmp_path / "foldkeep-checkup.service").write_text(systemd_service(real))
    (tmp_path / "foldkeep-checkup.timer").write_text(systemd_timer(real))
    (tmp_path / "run").mkdir(mode=0o700)
    named = {**os.environ, "XDG_RUNTIME_DIR": str(tmp_path / "run")}
    line = ["systemd-analyze", "verify", "--user", tmp_path / "foldkeep-checkup.timer"]
    verified = subprocess.run(line, env=named, capture_output=True, text=True, check=False)
    assert (verified.returncode, verified.stdout + verified.stderr) == (0, "")
    when = next(line for line in systemd_timer(real).splitlines() if line.startswith("OnCalendar="))
    subprocess.run(["systemd-analyze", "calendar", when.partition("=")[2]], capture_output=True, check=True)


lines = st.lists(st.sampled_from(["MAILTO=me", "5 4 * * * backup --if-due", "# mine", "", "@daily kites"]), max_size=6)


@given(before=lines, between=lines, after=lines)
def test_only_our_lines_go_from_a_crontab(before: list[str], between: list[str], after: list[str]):
    ours = crontab_lines(REMINDER)
    first, last = ("".join(line + "\n" for line in lines) for lines in (before, after))
    assert without_reminder(first + ours + last) == first + last
    mark, command = ours.splitlines(keepends=True)
    inner = "".join(f"{line}\n" for line in between if "--if-due" not in line)
    assert without_reminder(mark + inner + command) == inner


def test_cron_is_set_shown_and_taken_away(desk: Desk, home: Path):
    put(home, "crontab", CRONTAB)
    table = desk.top / "table"
    table.write_text("MAILTO=me\n5 4 * * * kites\n# no end of line")
    asked = remind(desk, "--every", "2w", "--scheduler", "cron")
    assert (asked.status, table.read_text().count("\n")) == (2, 2)
    assert "--if-due --every 2w --at 20:00 --tell-by desktop" in asked.out
    assert remind(desk, "--every", "2w", "--at", "7:05", "--by", "file", "--scheduler", "cron", "--yes").status == 0
    assert table.read_text().startswith("MAILTO=me\n5 4 * * * kites\n# no end of line\n# Fold Keep reminder: ")
    assert "\n5 * * * * " in table.read_text()
    told = remind(desk, "--json").json
    assert [told[name] for name in ("scheduler", "every", "at", "by")] == ["cron", "2w", "7:05", "file"]
    assert told["last"] is None
    assert datetime.fromisoformat(told["next"]) > datetime.now(UTC)
    assert remind(desk, "--every", "1m", "--scheduler", "cron", "--yes").status == 0
    assert table.read_text().count("Fold Keep") == 1
    assert remind(desk, "--off", "--yes").out == "The reminder of cron is taken away.\n"
    assert table.read_text() == "MAILTO=me\n5 4 * * * kites\n# no end of line\n"
    assert remind(desk).out.startswith("No reminder is set.\n")
    refused = {
        ("--every", "1h"): "not an age",
        ("--every", "3y"): "from 1d to 1y",
        ("--at", "24:00"): "20:00",
        ("--off", "--now"): "only one thing",
    }
    for words, why in refused.items():
        answer = remind(desk, *words)
        assert (answer.status, why in answer.err) == (2, True), words


def test_systemd_is_told_and_what_is_not_ours_stays(desk: Desk, home: Path):
    put(home, "systemctl", SYSTEMCTL)
    put(home, "crontab", CRONTAB)
    units = desk.top / "config/systemd/user"
    assert remind(desk, "--every", "2w", "--scheduler", "cron", "--yes").status == 0
    assert remind(desk, "--every", "2w", "--yes").out.startswith("The reminder of cron is taken away.\n")
    assert sorted(path.name for path in units.iterdir()) == ["foldkeep-checkup.service", "foldkeep-checkup.timer"]
    assert (desk.top / "said").read_text().splitlines()[-2:] == [
        "--user enable foldkeep-checkup.timer", "--user restart foldkeep-checkup.timer"
    ]  # fmt: skip
    assert remind(desk, "--off", "--yes").status == 0
    assert list(units.iterdir()) == []
    assert remind(desk, "--every", "2w", "--yes").status == 0
    (desk.top / "refuse").touch()
    assert "systemd does not run here now" in remind(desk).out
    assert remind(desk, "--off", "--yes").status == 0
    (desk.top / "refuse").unlink()
    assert list(units.iterdir()) == []
    (units / "foldkeep-checkup.timer").write_text("[Timer]\n")
    answer = remind(desk, "--every", "2w", "--scheduler", "systemd", "--yes")
    assert (answer.status, "foldkeep-checkup.timer is not Fold Keep's" in answer.err) == (2, True)
    assert [path.name for path in units.iterdir()] == ["foldkeep-checkup.timer"]
    (units / "foldkeep-checkup.timer").unlink()
    (desk.top / "refuse").touch()
    assert remind(desk, "--every", "2w", "--scheduler", "systemd", "--yes").status == 2
    assert list(units.iterdir()) == []


def test_the_next_one_is_due_by_days_and_not_by_hours():
    def at(text: str) -> datetime:
        return datetime.fromisoformat(text).replace(tzinfo=UTC)

    def due(last: str, now: str, every: str = "2w") -> datetime:
        last_ns = round(at(last).timestamp() * 10**9) if last else 0
        return Reminder(every, "20:00", "file").next_due(last_ns, at(now))

    for last, now, expected in (
        ("", "2026-05-01T08:00", "2026-05-01T20:00"),
        ("2026-05-01T20:00", "2026-05-02T08:00", "2026-05-15T20:00"),
        ("2026-05-02T03:12", "2026-05-20T08:00", "2026-05-16T20:00"),  # it was asleep, and moves none after it
        ("2026-06-01T20:00", "2026-05-20T08:00", "2026-05-20T20:00"),  # the clock was wrong
    ):
        assert due(last, now) == at(expected)
    assert due("2026-05-01T20:00", "2026-05-02T08:00", "1y") - at("2026-05-01T20:00") == timedelta(days=365)


def test_a_reminder_tells_once_and_what_it_told_is_new_still(desk: Desk, home: Path):
    line = [*PROGRAM, "remind", "--if-due", "--every", "2w", "--at", "00:00", "--by", "file", "--stock", desk.stock]
    both = [subprocess.Popen(line, env=os.environ, stdout=subprocess.PIPE) for _ in range(2)]
    assert [each.wait() for each in both] == [0, 0]
    (told,) = desk.top.glob("Fold Keep check-up *.txt")
    assert "! spares" in told.read_text()
    for each in both:
        assert each.stdout is not None
        each.stdout.close()
    assert remind(desk, "--if-due", "--at", "00:00", "--json").json["due"] is False
    assert desk.run("checkup").status == 1
    assert remind(desk, "--now", "--by", "file", "--json").json == {
        "command": "remind", "due": True, "wants_you": [], "told": None
    }  # fmt: skip


def test_mail_is_sent_and_what_cannot_be_told_goes_into_a_file(desk: Desk, home: Path):
    put(home, "mail", '#!/bin/sh\nprintf "%s|" "$@" > "$HOME/mail"\ncat >> "$HOME/mail"\n[ ! -e "$HOME/refuse" ]\n')
    assert remind(desk, "--now", "--by", "mail", LOGNAME="me").out.endswith("told by mail to me\n")
    subject, body = (desk.top / "mail").read_text().split("|me|")
    assert subject == "-s|Fold Keep: 2 of 9 things need attention."
    assert "! spares" in body
    (desk.top / "Desktop").mkdir()
    (desk.top / "refuse").touch()
    for by, more in (("mail", {}), ("desktop", {"DBUS_SESSION_BUS_ADDRESS": "unix:path=/nowhere"})):
        before = set((desk.top / "Desktop").iterdir())
        said = remind(desk, "--now", "--by", by, **more)
        (new,) = set((desk.top / "Desktop").iterdir()) - before
        assert (said.status, f"in {new}, since " in said.out) == (0, True)


@pytest.mark.skipif(not shutil.which("dbus-daemon"), reason="there is no dbus-daemon here")
def test_a_desktop_shows_it(desk: Desk, home: Path):
    from dbus_fast import Message
    from dbus_fast.aio import MessageBus

    started = subprocess.Popen(
        ["dbus-daemon", "--session", "--nofork", "--print-address"],
        stdout=subprocess.PIPE,
        stderr=subprocess.DEVNULL,
        text=True,
    )
    assert started.stdout is not None
    address = started.stdout.readline().strip()
    shown: list[list[object]] = []

    async def serve() -> subprocess.CompletedProcess[str]:
        bus = await MessageBus(bus_address=address).connect()

        def answer(message: Message) -> Message | bool:
            if message.member != "Notify":
                return False
            shown.append(message.body)
            return Message.new_method_return(message, "u", [7])

        bus.add_message_handler(answer)
        await bus.request_name("org.freedesktop.Notifications")
        named = {**os.environ, "DBUS_SESSION_BUS_ADDRESS": address}
        words = ("remind", "--now", "--by", "desktop", "--stock", desk.stock)
        done = await asyncio.to_thread(program, *words, env=named)
        bus.disconnect()
        return done

    try:
        answer = asyncio.run(serve())
    finally:
        started.terminate()
        started.wait()
        started.stdout.close()
    assert (answer.returncode, answer.stdout.endswith("told on the desktop\n")) == (0, True), answer
    ((_, _, _, title, body, *_),) = shown
    assert title == "Fold Keep: 2 of 9 things need attention."
    assert str(body).startswith("spares: 1 spare in 1 set, 9.00 kB could come free")
    assert str(body).endswith("\nfoldkeep checkup")


@pytest.mark.long
@pytest.mark.skipif(os.getuid() != 0 or not shutil.which("cron"), reason="cron needs root and Debian's package")
def test_cron_itself_runs_it(desk: Desk, home: Path, monkeypatch):
    monkeypatch.setenv("PATH", "/usr/sbin:/usr/bin:/bin")
    before = subprocess.run(["crontab", "-l"], capture_output=True, check=False).stdout
    if before:
        pytest.skip("this user has a crontab, which a test must not touch")
    soon = datetime.now() + timedelta(seconds=75)
    words = ("--every", "2w", "--at", f"{soon:%H:%M}", "--by", "file", "--scheduler", "cron", "--yes")
    cron = subprocess.Popen(["cron", "-f"])
    try:
        assert remind(desk, *words).status == 0
        text = subprocess.run(["crontab", "-l"], capture_output=True, text=True, check=True).stdout
        subprocess.run(["crontab", "-"], input=f"HOME={desk.top}\n{text}", text=True, check=True)
        for _ in range(140):
            if list(desk.top.glob("Fold Keep check-up *.txt")):
                break
            time.sleep(1)
        assert json.loads(remind(desk, "--json").out)["last"]
        assert remind(desk, "--off", "--yes").status == 0
        left = subprocess.run(["crontab", "-l"], capture_output=True, text=True, check=True).stdout
        assert left == f"HOME={desk.top}\n"
    finally:
        cron.terminate()
        cron.wait()
        subprocess.run(["crontab", "-r"], check=False)
