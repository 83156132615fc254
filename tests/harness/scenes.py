"""One desk set up again and again, for whoever kills, fails, meddles or cuts the power."""

import io
import os
import shutil
from collections.abc import Callable, Sequence
from pathlib import Path

from PIL import Image

from foldkeep.formats.sidecars import Xmp, with_words
from foldkeep.keep import read_docket, write_docket
from foldkeep.model import Action
from foldkeep.model.machines import path_on
from harness.desks import Desk, SureDesk, TrustingDesk, contents, edit, listing
from harness.points import Points, kill_at, know_volumes
from harness.snapshots import Snapshot

RELEASE = ["release", "1", "--yes"]
FOR_GOOD = ("bin", "delete", "words-delete", "again-delete", "empty")


def small_picture(shade: int) -> bytes:
    stream = io.BytesIO()
    Image.linear_gradient("L").resize((16, 16)).point(lambda value: (value + shade) % 256).save(stream, "JPEG")
    return stream.getvalue()


PICTURES = [small_picture(10), small_picture(90)]


def binned(desk: Desk) -> None:
    """Put copies of what is in the place into the desktop's bin, one in a folder, and what is nowhere else."""
    files, infos = desk.top / "home/Trash/files", desk.top / "home/Trash/info"
    (files / "old/deep").mkdir(parents=True)
    infos.mkdir()
    (files / "a.jpg").write_bytes(b"a" * 40)
    (files / "old/deep/b.jpg").write_bytes(b"b" * 40)
    (files / "old/link").symlink_to("deep")
    (files / "last.jpg").write_bytes(b"nowhere else")
    for name in ("a.jpg", "old", "last.jpg"):
        text = f"[Trash Info]\nPath={desk.place}/in/{name}\nDeletionDate=2026-01-02T03:04:05\n"
        (infos / f"{name}.trashinfo").write_text(text)


def commented(picture: bytes, words: str) -> bytes:
    """Return a JPEG picture with a comment in it."""
    return picture[:2] + b"\xff\xfe" + (len(words) + 2).to_bytes(2, "big") + words.encode() + picture[2:]


class Scenes:
    """One desk, set up the same way again and again: spares, companions, folders that will be empty."""

    def __init__(self, top: Path, far: Path, method: str, command: str, *, is_first: bool = False) -> None:
        self.desk = TrustingDesk(top)  # nothing can be measured of what is made again here
        self.saved: dict[Path, Snapshot] = {}
        self.far = far / "far"
        plain = method
        for prefix in ("words-", "again-", "alike-", "essence-", "vouched-"):
            plain = plain.removeprefix(prefix)
        self.words = ["fold", str(self.desk.docket), "--yes", "--method", plain]
        if "move" in method:
            self.far = (top if method == "move" else far) / "far"
            self.words[-1:] = ["move", "--to", str(self.far)]
        if method.endswith("delete"):
            self.words.append("--for-good")
        if method.startswith("alike-"):
            self.desk = SureDesk(top)
            self.words.append("--allow-alike")
        if method.startswith("essence-"):
            self.desk = SureDesk(top)
        # Of a picture, what it says of itself would be asked too, by a helper process, at every point again.
        self.method = method
        self.suffix = suffix = "pdf" if method.startswith("words-") else "jpg"
        for name in "ab":
            self.desk.write(f"{name}.{suffix}", name.encode() * 40)
            self.desk.write(f"in/deep/{name} copy.{suffix}", name.encode() * 40)
        (self.desk.place / "in/deep").chmod(0o750)
        if method.startswith("words-"):
            # What is said of two spares only is written: into a sidecar that is there, and into a new one.
            self.desk.write("a.xmp", with_words(None, Xmp(("kite",))))
            self.desk.write("in/deep/a copy.xmp", with_words(None, Xmp(("wind",), 4)))
            catalog = top / "list.csv"
            catalog.write_text(f"path,keywords\n{self.desk.place}/in/deep/b copy.pdf,hill\n")
            self.words += ["--catalog", str(catalog)]
        elif not method.startswith(("essence-", "vouched-")):  # a sidecar that goes along would be gone for good
            self.desk.write("a.xmp", b"of both")
            self.desk.write("in/deep/a copy.xmp", b"of both")
            self.desk.write("in/deep/b copy.xmp", b"of the spare only")
        self.desk.proposed()
        if method.startswith("vouched-"):
            self.other = self._keep_elsewhere()
            self.words += ["--vouchers", str(self._vouched("folding"))]
        if method.startswith("again-"):
            # Nothing has the content of these; while what they are made from is there, they may go.
            for name in "ab":
                self.desk.write(f"in/{name}.mp4", name.encode() * 50)
                self.desk.write(f"in/proxies/copy/{name}.mov", name.encode() * 5)
            self.desk.ask("scan", self.desk.place)
            self.desk.docket.unlink()
            self.desk.ask("caches", "-o", str(self.desk.docket))
        if method.startswith("alike-"):
            # Other contents than their keepers: only a person's word lets these go.
            for name in "ab":
                self.desk.write(f"in/deep/{name} copy.jpg", name.encode() * 10)
            self.desk.propose_copies()
        if method.startswith("essence-"):
            # The same pictures as their keepers, with other words in them, which only a rest keeps after a release.
            for name, picture in zip("ab", PICTURES, strict=True):
                self.desk.write(f"{name}.jpg", picture)
                self.desk.write(f"in/deep/{name} copy.jpg", commented(picture, name))
            self.desk.propose_copies()
        if method == "copy":
            into = self.desk.place / "kept"
            into.mkdir()
            self.words += ["--to", str(into)]
            edit(self.desk.docket, lambda row: {**row, "action": "copy" if row["action"] == "fold" else "leave"})
        if method == "heal":
            for name in "ab":
                self.desk.rot(f"in/deep/{name} copy.{suffix}")
            self.desk.docket.unlink()
            assert self.desk.run("fixity", "-o", str(self.desk.docket)).status == 1
        if method == "empty":
            binned(self.desk)
        if not is_first:
            know_volumes(self.desk)
        self.before = self.state()
        self.kept = contents(self.desk.place)
        if method == "again-delete" or (method.startswith("again-") and command == "release"):
            self.kept -= {self.before[os.fsencode(path)][0] for path in self.desk.place.glob("in/proxies/copy/*")}
        # What is released of these is not gone: it is rebuilt from its rest.
        self.rebuilt = method.startswith("essence-") and command in ("release", "rebuild")
        if (method.startswith("alike-") and command == "release") or self.rebuilt or command == "rests":
            self.kept -= {self.before[os.fsencode(path)][0] for path in self.desk.place.glob("in/deep/*.jpg")}
        if method == "heal" and command == "release":
            self.kept -= {self.before[os.fsencode(path)][0] for path in self.desk.place.glob("in/deep/*.jpg")}
        if method.startswith("words-") and command == "release":
            self.kept -= {self.before[os.fsencode(path)][0] for path in self.desk.place.glob("**/a*.xmp")}
        if method.startswith("vouched-") and command == "release":
            self.kept -= {self.before[os.fsencode(path)][0] for path in self.desk.place.glob("in/deep/*.jpg")}
        self.command = command
        if command not in ("fold", "bins"):
            for words in (self.prepared(), *([RELEASE] if command in ("rebuild", "rests") else [])):
                answer = self.desk.run(*words, "--json")
                assert answer.json["left"] == [], answer
        if method.startswith("vouched-") and command == "release":
            self.signed = self._vouched("release", "--number", self.desk.ask(*RELEASE)["number"])
        if method == "empty":
            self.kept |= contents(self.desk.top / "home/Trash/files")
        self.save(self.desk.place, top / "stock", self.far, top / "home")

    def _keep_elsewhere(self) -> Desk:
        """Move the keepers to another machine, and have the docket say so; return the desk there."""
        (self.desk.top / "edit-01").mkdir()
        other = Desk(self.desk.top / "edit-01")
        for name in "ab":
            (self.desk.place / f"{name}.jpg").rename(other.place / f"{name}.jpg")
        other.run("scan", other.place)
        other.run("inventory", "save", other.top / "i.inventory", "--machine", "edit-01")
        key = other.top / "key"
        key.write_text(other.run("vouch", "--machine-key").out)
        self.desk.run("scan", self.desk.place)
        assert self.desk.run("vouch", "--learn-key", key).status == 0
        there = path_on("edit-01", os.fsencode(other.place))
        rows = [
            row._replace(path=there + b"/" + os.path.basename(row.path)) if row.action is Action.KEEP else row
            for row in read_docket(str(self.desk.docket))
        ]
        self.desk.docket.unlink()
        write_docket(str(self.desk.docket), rows)
        return other

    def _vouched(self, name: str, *more: str) -> Path:
        """Have the other machine vouch, and return where it says so."""
        path = self.desk.top / f"{name}.voucher"
        assert self.other.run("vouch", self.desk.docket, "-o", path, *more).status == 0
        return path

    def prepared(self) -> list[str]:
        self.far.mkdir(exist_ok=True)
        return self.words

    def save(self, *folders: Path) -> None:
        """Keep folders as they are now, hard links included, for every `reset`."""
        self.saved.update((path, Snapshot.of(path)) for path in folders)

    def reset(self) -> None:
        top = self.desk.top
        for path in (self.desk.place, self.desk.stock.parent, self.far, top / "other", top / "home"):
            self.saved.get(path, Snapshot(os.fsencode(path))).restore()
        self.far.mkdir(exist_ok=True)

    def line(self) -> list[str]:
        more = ["--allow-alike"] if self.method.startswith("alike-") else []
        if self.method.startswith("vouched-") and self.command == "release":
            more = ["--vouchers", str(self.signed)]
        unfold = ["unfold", "1"]
        rests = [*RELEASE, "--rests", "--allow-last-copy"]
        lines = {"rests": rests, "fold": self.words, "unfold": unfold, "rebuild": unfold,
                 "release": [*RELEASE, *more], "bins": ["release", "--bin", "--yes"]}  # fmt: skip
        return lines[self.command]

    def state(self) -> dict:
        """Every file outside folds with content, mode and time, and every folder with its mode."""
        files = {path: facts[:3] for path, facts in listing(self.desk.place).items()}
        folders = {folder: os.stat(folder).st_mode for folder, _, _ in os.walk(self.desk.place)}
        return {**files, **{path: mode for path, mode in folders.items() if ".foldkeep" not in path}}

    def sites(self, without: str, *, looks: bool = False) -> list[tuple]:
        """Return where the points of the command are, by running it once with nothing done at any."""
        self.reset()
        points = Points(lambda *_: None, looks=looks)
        with points.armed(without=without):
            self.desk.run(*self.line())
        return points.site

    @property
    def needs_no_stock(self) -> bool:
        """Whether the journals on the drive alone can take back what the command does."""
        return self.command not in ("release", "rests") and self.method not in FOR_GOOD

    def killed_at(self, number: int, without: str) -> bool:
        """Run the command in a child that is killed at its n-th point; return whether it lived to its end."""
        return self.stopped(kill_at(number), without)

    def stopped(self, visit: Callable[[int, str, str], None], without: str, line: Sequence[str | Path] = ()) -> bool:
        """Run the command, or another line, in a child to which something is done at its points.

        Return whether it lived to its end.
        """
        child = os.fork()
        if child == 0:
            os.environ["XDG_DATA_HOME"] = str(self.desk.top / "home")
            with Points(visit).armed(without=without):
                self.desk.run(*(line or self.line()))
            os._exit(0)
        return os.waitpid(child, 0)[1] == 0


def check_recovery(scenes: Scenes, method: str, alone: bool, where: str, most_runs: int = 1) -> None:
    """Nothing is lost; the next command takes all back, or says what is gone for good.

    There are two runs at most where the same docket was folded again.
    """
    desk = scenes.desk
    everywhere = contents(desk.place) | contents(scenes.far) | contents(desk.top / "home")
    assert scenes.kept <= everywhere, f"lost {where}"
    if alone and scenes.needs_no_stock:
        shutil.rmtree(desk.stock.parent)
        if (desk.place / ".foldkeep").exists():
            assert desk.run("unfold", "--from", desk.place).status == 0, where
    else:
        answers = [desk.run("unfold", str(number), "--json") for number in range(most_runs, 0, -1)]
        runs = desk.ask("ledger")["runs"]
        assert len(runs) == sum(answer.status != 2 for answer in answers), where
        for run in runs:
            states = run["files"]
            assert (run["underway"], states["waiting"], states["lost"], states["planned"]) == (False, 0, 0, 0), where
    now = scenes.state()
    if method in FOR_GOOD or (scenes.command in ("release", "rests") and not scenes.rebuilt):
        known = {path: facts for path, facts in now.items() if isinstance(path, bytes)}
        # What came back is what it was; a sidecar of the spare may be beside the keeper.
        written = {os.fsencode(desk.place / "a.xmp")} if method in ("words-fold", "words-delete") else set()
        if method == "heal":  # the good copies stay when what was damaged is gone
            written = {os.fsencode(path) for path in desk.place.glob("in/deep/*.jpg")}
        same = (scenes.before.get(path, facts) == facts for path, facts in known.items() if path not in written)
        assert all(same), where
        assert {facts[0] for facts in known.values()} >= {
            facts[0]
            for path, facts in scenes.before.items()
            if b"copy" not in os.fsencode(path) and isinstance(path, bytes) and path not in written
        }
    else:
        assert now == scenes.before, where
    assert not list(desk.place.glob("**/.foldkeep*")), where
    assert not [path for path in scenes.far.glob("**/*") if path.is_file()], where


LINKED = ("hard-link",)


CASES = [
    *((method, "fold") for method in ("fold", "move", "move-far", "bin", "hard-link", "symlink", "clone", "delete")),
    *((method, "unfold") for method in ("fold", "move", "move-far", "hard-link", "symlink", "clone")),
    *((method, "release") for method in ("fold", "hard-link", "words-fold", "again-fold", "alike-fold")),
    *(("essence-fold", command) for command in ("fold", "unfold", "release", "rebuild", "rests")),
    *((method, "fold") for method in ("again-fold", "again-delete", "again-move-far", "alike-fold")),
    *((method, "unfold") for method in ("again-fold", "again-move-far", "alike-fold")),
    *((method, command) for method in ("copy", "heal") for command in ("fold", "unfold")),
    ("heal", "release"),
    *(("vouched-fold", command) for command in ("fold", "unfold", "release")),
    ("empty", "bins"),
    *((method, "fold") for method in ("words-fold", "words-delete", "words-move-far")),
    *((method, "unfold") for method in ("words-fold", "words-move-far")),
]
COMMANDS = tuple(dict.fromkeys(command for _, command in CASES))


def methods_of(command: str) -> list[str]:
    """Return the methods with which a command has a case on any volume."""
    return [method for method, each in CASES if each == command and method != "clone"]
