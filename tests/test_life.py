"""A life with Fold Keep: random scans, dockets, folds, unfolds, releases and changes by others, in any order."""

import os
import shutil
import tempfile
from pathlib import Path

from hypothesis import settings
from hypothesis import strategies as st
from hypothesis.stateful import RuleBasedStateMachine, invariant, precondition, rule

from conftest import Desk, listing, read_everything
from test_sets import found_sets, oracle

names = st.sampled_from(["a.jpg", "a copy.jpg", "b.jpg", "in/a.jpg", "in/b (1).jpg", "in/deep/c.jpg"])
bodies = st.sampled_from([b"k" * 40, b"K" * 40, b"m" * 7, b"k" * 20_000, b"k" * 19_999 + b"!"])


class Life(RuleBasedStateMachine):
    """Whatever happens, every content stays until it is released, and nobody's file is replaced."""

    def __init__(self) -> None:
        super().__init__()
        self.desk = Desk(Path(tempfile.mkdtemp()))
        self.desk.run("scan", self.desk.place)
        self.moment = 1_750_000_000
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
        self.moment += 1
        self.desk.write(name, body, self.moment)
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
    @rule()
    def fold(self):
        answer = self.desk.ask("fold", self.desk.docket, "--yes")
        assert answer["folded"] + len(answer["left"]) == self.desk.docket.read_text().count(",fold,")

    @rule(number=st.integers(1, 4))
    def unfold(self, number):
        answer = self.desk.run("unfold", str(number), "--json")
        assert answer.status == (0 if number <= len(self.desk.ask("ledger")["runs"]) else 2)

    @rule(number=st.integers(1, 4))
    def release(self, number):
        assert self.desk.run("release", str(number), "--yes").status in (0, 1, 2)

    @invariant()
    def every_content_is_there(self):
        """Also after a release: it takes only what has a copy outside the folds."""
        assert self.expected <= self.kept()

    def kept(self) -> set[str]:
        """Return every content in the place, folded or not; not what Fold Keep writes itself."""
        return {
            digest
            for path, digest, _ in read_everything(os.fsencode(self.desk.place))
            if os.path.basename(path) not in (b"journal.jsonl", b"README.txt")
        }

    @invariant()
    def nobody_s_file_was_replaced(self):
        for path, facts in listing(self.desk.place).items():
            if path in self.others:
                assert facts == self.others[path]

    @invariant()
    def the_ledger_agrees_with_the_disk(self):
        runs = self.desk.ask("ledger")["runs"]
        assert not any(run["underway"] or run["files"]["lost"] or run["files"]["planned"] for run in runs)
        waiting = sum(run["files"]["waiting"] for run in runs)
        assert waiting == len(list(self.desk.place.glob(".foldkeep/*/files/*")))


TestLife = Life.TestCase
TestLife.settings = settings(max_examples=25, stateful_step_count=25, deadline=None)
