"""Sentences that say safe, back, nothing waits, nowhere else, no damage: each with a state in which it would be false.

What of these sentences the program can say at all is looked for in its texts: one that is not in the table fails here.
"""

import os
import re
import shutil
from collections.abc import Callable
from pathlib import Path

import pytest

import foldkeep.show
from harness.desks import Desk, folded_pair, pair
from harness.disks import say_disks

_TEXTS = Path(foldkeep.show.__file__).parent
_SAYING = r"safe to|(?:is|are) back|othing[^\"\n]* waits|nowhere else|No damage|everything lies"
_CLAIMS = re.compile(rf'(?<!")"[^"\n]*\b(?:{_SAYING})\b[^"\n]*"')


def copied_card(desk: Desk, far: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    """Copy a card into the library, on another disk."""
    say_disks(monkeypatch, {far: "card"})
    card = far / "card"
    for number in range(3):
        path = card / f"DCIM/IMG_{number}.jpg"
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_bytes(b"picture %d" % number * 3000)
    shutil.copytree(card, desk.place / "shoot")
    desk.ask("scan", desk.place)
    return card


def rotten_copy(desk: Desk, far: Path, monkeypatch: pytest.MonkeyPatch) -> list[str | Path]:
    """A copy has its size, its times, its ends, and another content."""
    card = copied_card(desk, far, monkeypatch)
    path = desk.place / "shoot/DCIM/IMG_1.jpg"
    desk.rot(os.fspath(path.relative_to(desk.place)))
    return ["coverage", card]


def added_while_asked(desk: Desk, far: Path, monkeypatch: pytest.MonkeyPatch) -> list[str | Path]:
    """The card has one picture more, in a folder that no scan looks into."""
    card = copied_card(desk, far, monkeypatch)
    (card / "found.000").mkdir()
    (card / "found.000/FILE0000.CHK").write_bytes(b"the only one")
    return ["coverage", card]


def name_taken(desk: Desk, far: Path, monkeypatch: pytest.MonkeyPatch) -> list[str | Path]:
    """What comes back lies beside where it was."""
    _, spare = folded_pair(desk)
    spare.parent.mkdir(exist_ok=True)
    spare.write_bytes(b"somebody's own")
    return ["unfold", "1"]


def stray(desk: Desk, far: Path, monkeypatch: pytest.MonkeyPatch) -> list[str | Path]:
    """All that the ledger knows is back, and something else waits in the fold."""
    folded_pair(desk)
    (files,) = desk.place.glob(".foldkeep/*/files")
    for path in files.iterdir():
        path.rename(desk.place / "old.jpg")
    (files / "000007.jpg").write_bytes(b"unknown")
    return ["unfold", "1"]


def long_waiting(desk: Desk, far: Path, monkeypatch: pytest.MonkeyPatch) -> list[str | Path]:
    """A file waits in a fold, and no run that is known waits for long."""
    folded_pair(desk)
    (files,) = desk.place.glob(".foldkeep/*/files")
    (files / "000007.jpg").write_bytes(b"unknown")
    return ["checkup", "--only", "folds"]


def nothing_known(desk: Desk, far: Path, monkeypatch: pytest.MonkeyPatch) -> list[str | Path]:
    """A place without a file."""
    desk.ask("scan", desk.place)
    return ["checkup", "--only", "once"]


def one_disk(desk: Desk, far: Path, monkeypatch: pytest.MonkeyPatch) -> list[str | Path]:
    """Everything is there twice, on one disk."""
    pair(desk)
    desk.proposed()
    return ["checkup", "--only", "once"]


def unreadable(desk: Desk, far: Path, monkeypatch: pytest.MonkeyPatch) -> list[str | Path]:
    """A picture cannot be read, so nobody knows what is wrong with it."""
    import foldkeep.scan.reading as reading

    desk.write("kite.jpg", b"k" * 50_000)
    real = reading.digest_of

    def digest_of(descriptor: int, size: int, told: Callable[[int], None] = lambda _: None) -> tuple[bytes, int]:
        if os.readlink(f"/proc/self/fd/{descriptor}").endswith("kite.jpg"):
            raise OSError(5, "Input/output error")
        return real(descriptor, size, told)

    monkeypatch.setattr(reading, "digest_of", digest_of)
    return ["scan", desk.place, "--check-media"]


def copied_since(desk: Desk, far: Path, monkeypatch: pytest.MonkeyPatch) -> list[str | Path]:
    """What a catalogue does not know was copied after the last scan."""
    desk.write("kite.jpg", b"kite")
    desk.write("other.jpg", b"another")
    (desk.place / "list.m3u").write_text("other.jpg\n")
    desk.ask("scan", desk.place)
    desk.write("copy.jpg", b"kite")
    return ["orphans", "--catalog", desk.place / "list.m3u"]


FALSE = {
    "^(All|The only) .* another disk": [(rotten_copy, 1), (added_while_asked, 1)],
    "^[1-9].*(is|are) back where": [(name_taken, 0), (stray, 1)],
    "^Nothing of run 1 waits": [(stray, 1)],
    "everything lies on two disks": [(nothing_known, 0), (one_disk, 1)],
    r"^No damage was found\.$": [(unreadable, 1)],
    "nowhere else:": [(copied_since, 0)],
}
"""Sentences, and the states in which each would be false, with the exit status there."""


@pytest.mark.parametrize(
    ("sentence", "state", "status"), [(sentence, *each) for sentence, states in FALSE.items() for each in states]
)
def test_no_sentence_is_said_where_it_is_false(
    desk: Desk, far: Path, monkeypatch, sentence: str, state: Callable, status: int
):
    answer = desk.run(*state(desk, far, monkeypatch))
    assert not [line for line in answer.out.splitlines() if re.search(sentence, line)], answer
    assert answer.status == status, answer


def test_what_waits_unknown_is_told_beside_what_the_ledger_says(desk: Desk, far: Path, monkeypatch):
    answer = desk.run(*long_waiting(desk, far, monkeypatch))
    assert (answer.status, "no line of a journal names it" in answer.err) == (1, True)


KNOWN = [
    "Not safe to format: ",
    "not safe to give it up", "is back where it was", "are back where they were", "is back where it came from",
    "are back where they came from", "nothing waits in folds for long", "waits in the fold",
    "nowhere else that is known", "What lies nowhere else is left", "everything lies on two disks, as last scanned",
    "No damage was found",
]  # fmt: skip
"""Texts that the table, or a test elsewhere, walks; what else says so is new, and wants a row."""


def test_every_such_sentence_is_in_the_table():
    texts = [match[0] for path in sorted(_TEXTS.rglob("*.py")) for match in _CLAIMS.finditer(path.read_text())]
    assert [text for text in texts if not any(known in text for known in KNOWN)] == []
