"""Chains of doors and steps: one content goes by one door after another, and must be found after each.

A door puts something away; a step is what a person, a program or Fold Keep does then. What the other hand destroys is
not looked for any more; all else that was ever seen must lie in the place, a fold, a folder that it was moved to, a
bin or a package, or come back from its rest.
"""

import os
import random
import shutil
from collections.abc import Callable
from pathlib import Path

from harness.desks import Desk, contents, read_everything
from harness.essences import made, worded
from harness.scenes import commented

EDL = "TITLE: cut\n\n001  shot V C 00:00:00:00 00:00:01:00 00:00:00:00 00:00:01:00\n* FROM CLIP NAME: {}\n"


class Chain:
    """A desk with one picture under many names, of which other tags and another size are known, and a project."""

    def __init__(self, top: Path, place: Path | None = None) -> None:
        self.desk = Desk(top)
        self.desk.place = place or self.desk.place
        self.far, self.shelf = top / "far", top / "shelf"
        for folder in (self.far, self.shelf):
            folder.mkdir(exist_ok=True)
        self.written = 0
        self.walked: list[str] = []
        picture = made("still.jpg")
        for name in ("kept/kite.jpg", "one/kite.jpg", "two/kite.jpg", "two/deep/kite copy.jpg"):
            self.desk.write(name, picture)
        self.desk.write("words/kite.jpg", worded("still.jpg"))
        self.desk.write("words/kite.xmp", b"of the kite")
        self.desk.write("noted/kite.jpg", commented(picture, "over the sea"))
        self.desk.write("cut/shot.mp4", b"a shot" * 30)
        self.desk.write("again/shot.mp4", b"a shot" * 30)
        self.desk.write("cut/cut.edl", EDL.format("shot.mp4").encode())
        self.desk.ask("scan", self.desk.place)
        self.expected = contents(self.desk.place)

    def found(self) -> set[str]:
        """Return every content that is anywhere: in places, folds, packages, bins, and where things were moved to."""
        tops = (self.desk.place, self.far, self.shelf, self.desk.top / "home")
        return set().union(*map(contents, tops))

    def seen(self) -> set[str]:
        """Return the contents that are somebody's: not what folds hold of their own, nor sidecars that a run wrote."""
        return {
            digest
            for top in (self.desk.place, self.far)
            for path, digest, _ in read_everything(os.fsencode(top))
            if b"/.foldkeep/" not in path and not path.endswith(b".xmp")
        }

    def go(self, name: str) -> None:
        """Go through a door, or take a step, and check that nothing is lost by it."""
        self.walked.append(name)
        self.expected |= self.seen()
        {**DOORS, **STEPS}[name](self)
        self.check()

    def check(self) -> None:
        """Check that every content that was seen is there, or comes back from its rest."""
        missing = self.expected - self.found()
        rests = sum(run["files"]["rest"] for run in self.runs())
        rests += len([*self.desk.place.glob(".foldkeep/*/files/rest-*")]) if self.is_lost else 0
        assert len(missing) <= rests, (" > ".join(self.walked), len(missing), rests)

    def end(self) -> None:
        """Bring everything back, and check that all contents are files again."""
        self.walked.append("end")
        self.expected |= self.seen()
        for run in reversed(self.runs()):
            self.desk.run("unfold", str(run["run"]))
        self.desk.run("unfold", "--from", self.desk.place)
        missing = self.expected - self.found()
        assert not missing, (" > ".join(self.walked), len(missing))

    @property
    def is_lost(self) -> bool:
        """Whether the stock does not know of every run any more."""
        return "stock lost" in self.walked

    def runs(self) -> list[dict]:
        """Return what the ledger tells of each run."""
        return self.desk.ask("ledger")["runs"] if self.desk.stock.exists() else []

    def fold(self, *words: str, keep: tuple[str, ...] = ()) -> None:
        """Propose what is there now, and fold it."""
        self.carry_out("keep", "--afresh", *keep, words=words)

    def carry_out(self, *asked: str, words: tuple[str, ...] = ()) -> None:
        """Have a command write a docket, and fold that."""
        self.desk.docket.unlink(missing_ok=True)
        self.desk.ask("scan", self.desk.place)
        self.desk.run(*asked, "-o", self.desk.docket)
        if self.desk.docket.exists():
            self._folded(*words)

    def _folded(self, *words: str) -> None:
        answer = self.desk.run("fold", self.desk.docket, "--yes", *words)
        is_refused = answer.status == 2 and "nothing was changed" in answer.err  # a volume without links, say
        assert answer.status in (0, 1) or is_refused, (self.walked, answer)

    def other_hand(self, path: Path, content: bytes) -> None:
        """Have another program write into a file; what it had is lost by that, unless it is elsewhere."""
        if path.exists() and not path.is_symlink():
            gone = contents(path.parent)
            path.unlink()  # as most programs save: under a name of their own, put in its place
            path.write_bytes(content)
            self.expected -= gone - self.found()
            self.expected |= self.seen()


def _edited(chain: Chain) -> None:
    chain.written += 1
    words = worded("still.jpg", rating=1 + chain.written % 5, title=f"Rain {chain.written}")
    for name in ("kept/kite.jpg", "one/kite.jpg"):
        chain.other_hand(chain.desk.place / name, words)


def _moved(chain: Chain) -> None:
    kept, moved = chain.desk.place / "kept", chain.desk.place / f"moved {len(chain.walked)}"
    if kept.is_dir():
        kept.rename(moved)


def _archived(chain: Chain) -> None:
    if (chain.desk.place / "cut/cut.edl").exists():
        chain.desk.ask("scan", chain.desk.place)
        chain.desk.run("archive", chain.desk.place / "cut", "--to", chain.shelf, "--fold-original", "--yes")


def _healed(chain: Chain) -> None:
    """Rot is the other hand's: the content of one name goes, and comes again by the copies that are left."""
    name = "two/kite.jpg"
    if (chain.desk.place / name).exists() and (chain.desk.place / name).stat().st_nlink == 1:
        before = chain.found()
        chain.desk.ask("scan", chain.desk.place, "--read-all")
        if (chain.desk.place / name).is_symlink():
            return
        chain.desk.rot(name)
        chain.expected -= before - chain.found()
        chain.carry_out("fixity", words=("--method", "heal"))


def _lost(chain: Chain) -> None:
    shutil.rmtree(chain.desk.stock.parent)
    chain.desk.docket.unlink(missing_ok=True)
    chain.desk.ask("scan", chain.desk.place)


def _released(*words: str) -> Callable[[Chain], None]:
    def step(chain: Chain) -> None:
        assert chain.desk.run("release", *words, "--yes").status in (0, 1, 2)

    return step


def _unfolded(chain: Chain) -> None:
    assert chain.desk.run("unfold", "--last").status in (0, 1, 2)


ESSENCE = ("--same", "essence")
DOORS: dict[str, Callable[[Chain], None]] = {
    "fold": lambda chain: chain.fold(),
    "fold for another": lambda chain: chain.fold(keep=("--prefer", f"under:{chain.desk.place}/two")),
    "essence fold": lambda chain: chain.fold(keep=ESSENCE),
    "move": lambda chain: chain.fold("--method", "move", "--to", str(chain.far)),
    "hard link": lambda chain: chain.fold("--method", "hard-link"),
    "link": lambda chain: chain.fold("--method", "symlink"),
    "bin": lambda chain: chain.fold("--method", "bin"),
    "delete": lambda chain: chain.fold("--method", "delete", "--for-good"),
    "alike fold": lambda chain: chain.carry_out("alike", words=("--allow-alike",)),
    "heal": _healed,
    "archive": _archived,
}
STEPS: dict[str, Callable[[Chain], None]] = {
    "release": _released("--all"),
    "release rests": _released("--all", "--rests"),
    "release bin": _released("--bin"),
    "unfold": _unfolded,
    "edit": _edited,
    "keeper moved": _moved,
    "stock lost": _lost,
}


def walked(top: Path, names: list[str], place: Path | None = None) -> None:
    """Walk one chain in a folder of its own, to its end; the place may lie on another volume."""
    chain = Chain(top, place)
    for name in names:
        chain.go(name)
    chain.end()


def drawn(choose: random.Random, length: int) -> list[str]:
    """Return a random chain."""
    names = [*DOORS, *DOORS, *STEPS]
    return [choose.choice(names) for _ in range(length)]
