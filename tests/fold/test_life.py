"""A life with Fold Keep: random scans, dockets, folds, unfolds, releases and changes by others, in any order."""

import os
import shutil
import tempfile
from pathlib import Path

import pytest
from hypothesis import settings
from hypothesis import strategies as st
from hypothesis.stateful import RuleBasedStateMachine, invariant, precondition, rule

from harness.desks import QUICK, TRASH, Desk, listing, read_everything
from harness.oracles import found_sets, oracle

names = st.sampled_from(
    ["a.jpg", "a copy.jpg", "b.jpg", "in/a.jpg", "in/b (1).jpg", "in/deep/c.jpg", "a.xmp", "in/a.xmp", "in/deep/c.xmp"]
)
methods = st.sampled_from(["fold", "fold", "move", "bin", "hard-link", "symlink", "delete"])
BODIES = [b"k" * 40, b"K" * 40, b"m" * 7, b"k" * 20_000, b"k" * 19_999 + b"!"]
bodies = st.integers(0, len(BODIES) - 1)


class Life(RuleBasedStateMachine):
    """Whatever happens, every content stays until it is released, and nobody's file is replaced."""

    def __init__(self) -> None:
        super().__init__()
        self.desk = Desk(Path(tempfile.mkdtemp(dir=QUICK)))
        self.far = self.desk.top / "far"
        self.far.mkdir()
        self.desk.run("scan", self.desk.place)
        self.writes = 0
        self.expected: set[str] = set()
        self.others: dict[bytes, tuple[str, int, int, int]] = {}

    def teardown(self) -> None:
        shutil.rmtree(self.desk.top)

    def look(self) -> None:
        """Note what others have put where: from here on it may only go by our own doing."""
        self.others = listing(self.desk.place)
        self.expected = self.kept()

    @rule(name=names, body=bodies)
    def somebody_writes(self, name, body):
        self.writes += 1
        moment = 1_750_000_000 + self.writes * 37 % 1009  # clocks go back, too
        path = self.desk.place / name
        if path.is_symlink():  # a program that saves puts a new file there
            path.unlink()
        self.desk.write(name, BODIES[body], moment)
        self.look()

    @rule(name=names)
    def somebody_deletes(self, name):
        (self.desk.place / name).unlink(missing_ok=True)
        self.look()

    @rule(name=names, new=names)
    def somebody_links(self, name, new):
        one, two = self.desk.place / name, self.desk.place / new
        if one.exists() and not two.exists():
            two.parent.mkdir(parents=True, exist_ok=True)
            os.link(one, two)
        self.look()

    @rule()
    def scan(self):
        assert self.desk.run("scan").status == 0
        assert found_sets(self.desk) == oracle(self.desk.place)

    @rule()
    def keep(self):
        self.desk.docket.unlink(missing_ok=True)
        assert self.desk.run("keep", "-o", self.desk.docket).status == 0

    @precondition(lambda self: self.desk.docket.exists())
    @rule(method=methods)
    def fold(self, method):
        words = {"move": ["--to", str(self.far)], "delete": ["--for-good"]}.get(method, [])
        answer = self.desk.run("fold", self.desk.docket, "--yes", "--method", method, *words, "--json")
        if answer.status == 2:
            assert "scan, and make it again" in answer.err
        else:
            done = answer.json["folded"] - answer.json["along"] + len(answer.json["left"])
            assert done >= self.desk.docket.read_text().count(",fold,")

    @rule(number=st.integers(1, 6), what=st.sampled_from([None, "*.jpg", "in"]))
    def unfold(self, number, what):
        words = ["--path", str(self.desk.place / what) if what == "in" else what] if what else []
        answer = self.desk.run("unfold", str(number), *words, "--json")
        if number > len(self.desk.ask("ledger")["runs"]):
            assert answer.status == 2
        elif not what:
            changed = {"changed since it was moved", "gone from"}
            assert all(any(word in each["reason"] for word in changed) for each in answer.json["left"])

    @rule(number=st.integers(1, 4))
    def release(self, number):
        assert self.desk.run("release", str(number), "--yes").status in (0, 1, 2)

    @invariant()
    def every_content_is_there(self):
        """Also after a release: it takes only what has a copy outside the folds."""
        assert self.expected <= self.kept()

    def kept(self) -> set[str]:
        """Return every content in the place, folded or not, moved or in the bin; not what Fold Keep writes itself."""
        return {
            digest
            for top in (self.desk.place, self.far, TRASH)
            for path, digest, _ in read_everything(os.fsencode(top))
            if os.path.basename(path) not in (b"journal.jsonl", b"README.txt")
        }

    @invariant()
    def nobody_s_file_was_replaced(self):
        """A link or clone may have taken its place; the content under a name is what it was."""
        for path, facts in listing(self.desk.place).items():
            if path in self.others:
                assert facts[0] == self.others[path][0]

    @invariant()
    def the_ledger_agrees_with_the_disk(self):
        runs = self.desk.ask("ledger")["runs"]
        assert not any(run["underway"] or run["files"]["lost"] or run["files"]["planned"] for run in runs)
        waiting, moved = (sum(run["files"][state] for run in runs) for state in ("waiting", "moved"))
        assert waiting == len(list(self.desk.place.glob(".foldkeep/*/files/*")))
        elsewhere = {str(path) for path in self.far.glob("**/*") if path.is_file()}
        assert moved == len(elsewhere) + self.beside(runs)

    def beside(self, runs) -> int:
        """Return how many sidecars lie beside a keeper, as the ledger tells."""
        details = [each for run in runs for each in self.desk.ask("ledger", str(run["run"]))["runs"][0]["details"]]
        moved = [each["target"]["path"] for each in details if each["state"] == "moved"]
        return sum(not path.startswith(str(self.far)) for path in moved)


TestLife = Life.TestCase
TestLife.settings = settings(max_examples=15, stateful_step_count=25, deadline=None)


@pytest.mark.long
class TestLongLife(Life.TestCase):
    settings = settings(max_examples=400, stateful_step_count=40, deadline=None)
