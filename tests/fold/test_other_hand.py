"""Another program acts at any point between a look and an act of ours: it loses nothing but what it destroys itself."""

import contextlib
import inspect
import os
import shutil
from collections.abc import Callable
from pathlib import Path

import pytest

import foldkeep.storage.local.changes.names as names
from harness.desks import TRASH, Desk, listing, new_folder
from harness.desks import edit as change
from harness.points import STRIDE, Points, Unvisited, befores, every_content, is_look, lacking, settled_well
from harness.scenes import CASES, LINKED, Scenes


class Hand:
    """Another program, working in the same place.

    Attributes
    ----------
    destroyed
        Contents of which it took the last copy away.
    """

    def __init__(self, scenes: Scenes) -> None:
        self.scenes = scenes
        self.place = scenes.desk.place
        self.destroyed: set[str] = set()
        self.made: set[str] = set()
        self._count = 0

    def tops(self) -> list[Path]:
        top = self.scenes.desk.top
        return [self.place, self.scenes.far, TRASH, top / "home", top / "elsewhere"]

    def act(self, what: "Callable[[Hand], None]") -> None:
        # A copy that Fold Keep is about to make counts as nothing yet.
        before = every_content(*self.tops(), but_for=b".foldkeep-")
        there = self.at_spares()
        with contextlib.suppress(OSError):
            what(self)
        if self.scenes.command != "fold":  # what has come back is its own to destroy, also before we have let go of it
            now = self.at_spares()
            self.destroyed |= {digest for path, digest in there.items() if now.get(path) != digest}
        after = every_content(*self.tops(), but_for=b".foldkeep-")
        if not what.__name__.startswith("second_fold_keep"):  # that may lose nothing, as little as this one
            self.destroyed |= before - after
            self.made |= after - before

    def at_spares(self) -> dict[bytes, str]:
        return {
            path: facts[0] for path, facts in listing(self.place).items()
            if b"copy" in os.path.basename(path) or path.endswith(b"/a.xmp")
        }  # fmt: skip

    def new(self) -> bytes:
        self._count += 1
        return b"somebody's own %d" % self._count

    def spares(self) -> list[Path]:
        suffix = self.scenes.suffix
        return [self.place / f"in/deep/{name} copy.{suffix}" for name in "ab"]

    def targets(self) -> list[Path]:
        """Return what was moved or copied."""
        found = [path for top in (self.scenes.far, self.place / "kept") for path in top.glob("**/*.*")]
        return [path for path in found if path.is_file() and not path.name.startswith(".")]

    def keepers(self) -> list[Path]:
        return [self.place / f"{name}.{self.scenes.suffix}" for name in "ab"]


def makes_the_names(hand: Hand) -> None:
    for path in (*hand.spares(), hand.place / "in/deep/a copy.xmp", hand.place / "b.xmp"):
        path.parent.mkdir(parents=True, exist_ok=True)
        with contextlib.suppress(FileExistsError), path.open("xb") as file:
            file.write(hand.new())


def saves_over(hand: Hand) -> None:
    """As programs save: a new file beside, renamed onto the name; of the same size and time as what it replaces."""
    for path in (*hand.spares(), hand.place / "a.xmp"):
        if os.path.lexists(path):
            facts = path.lstat()
            aside = path.with_name("saving")
            aside.write_bytes(hand.new()[:40].ljust(facts.st_size, b"."))
            os.utime(aside, ns=(facts.st_atime_ns, facts.st_mtime_ns))
            aside.replace(path)


def edit(path: Path, hand: Hand) -> None:
    if path.exists():
        facts = path.stat()
        with path.open("r+b") as file:
            file.write(hand.new()[: facts.st_size])
        os.utime(path, ns=(facts.st_atime_ns, facts.st_mtime_ns))


def edits_spares(hand: Hand) -> None:
    for path in hand.spares():
        if not path.is_symlink():
            edit(path, hand)


def edits_keepers(hand: Hand) -> None:
    for path in hand.keepers():
        edit(path, hand)


def deletes_keepers(hand: Hand) -> None:
    for path in hand.keepers():
        path.unlink(missing_ok=True)


def replaces_keepers(hand: Hand) -> None:
    for path in hand.keepers():
        aside = path.with_name("saving")
        aside.write_bytes(hand.new().ljust(40, b"."))
        aside.replace(path)


def swaps_the_folder(hand: Hand) -> None:
    folder, elsewhere = hand.place / "in/deep", hand.scenes.desk.top / "elsewhere"
    if folder.is_dir() and not folder.is_symlink() and not elsewhere.exists():
        folder.rename(elsewhere)
        folder.symlink_to(elsewhere)


def edits_targets(hand: Hand) -> None:
    for path in hand.targets():
        edit(path, hand)


def deletes_targets(hand: Hand) -> None:
    for path in hand.targets():
        path.unlink()


def deletes_all_but_targets(hand: Hand) -> None:
    for path in (*hand.spares(), *hand.keepers(), hand.place / "a.xmp"):
        path.unlink(missing_ok=True)


def second_fold_keep(*words: str, unheld: bool = False) -> Callable[[Hand], None]:
    """Run another Fold Keep, with a stock of its own, in a process of its own.

    Parameters
    ----------
    unheld
        It cannot lock anything, as on file systems without locks that two computers share.
    """

    def runs(hand: Hand) -> None:
        child = os.fork()
        if child == 0:
            try:
                import foldkeep.storage.local.drives.locks as locks

                locks._held.clear()
                locks.WAIT_SECONDS = 0.0
                if unheld:
                    locks._taken = lambda *_: None
                other = hand.scenes.other
                other.run(*(word.format(place=other.place, docket=other.docket) for word in words))
            finally:
                os._exit(0)
        os.waitpid(child, 0)

    runs.__name__ = "second_fold_keep_" + words[0] + ("_unheld" if unheld else "")
    return runs


Act = Callable[[Hand], None]
FOLDS_UNHELD = second_fold_keep("fold", "{docket}", "--yes", "--method", "delete", "--for-good", unheld=True)
FOLDS = second_fold_keep("fold", "{docket}", "--yes", "--method", "delete", "--for-good")
UNFOLDS = second_fold_keep("unfold", "--from", "{place}")
_ON_TARGETS: tuple[Act, ...] = (edits_targets, deletes_targets, deletes_all_but_targets)
ACTS: list[Act] = [
    makes_the_names, saves_over, edits_spares, edits_keepers, deletes_keepers, replaces_keepers, swaps_the_folder,
    *_ON_TARGETS, FOLDS_UNHELD, FOLDS, UNFOLDS,
]  # fmt: skip

_NAMES = "rename link symlink mkdir create".split()
_AWAY = "unlink rmdir remove".split()
_LASTING = "fsync commit".split()


def acts_at(site: tuple, method: str) -> list[Act]:
    """Return the acts that can hurt at a call of this kind: between what was looked at last, and what is done now.

    Before a look: what the look before it saw is another now. Before a name is given: it is taken, or what gets it or
    vouches for it is another. Before a name goes: its content is the last, or another. Before a write: what is written
    to, or was written, is gone. Before a flush: what is announced as done is not there.
    """
    call = site[-2]
    if call in _NAMES:
        acts = [makes_the_names, saves_over, edits_spares, edits_keepers, deletes_keepers, replaces_keepers,
                swaps_the_folder, FOLDS_UNHELD, FOLDS, UNFOLDS]  # fmt: skip
    elif call in _AWAY:
        acts = [saves_over, edits_spares, edits_keepers, deletes_keepers, replaces_keepers, FOLDS_UNHELD]
    elif call in _LASTING:
        acts = [edits_keepers, deletes_keepers, UNFOLDS]
    elif is_look(site):
        acts = [saves_over, edits_spares, edits_keepers, deletes_keepers, swaps_the_folder]
    else:
        acts = [saves_over, edits_keepers, deletes_keepers]
    has_targets = "move" in method or method in ("copy", "heal")
    return [*acts, *(_ON_TARGETS if has_targets else ())]


class HandedScenes(Scenes):
    """Scenes with the opposite docket of another stock, and a command line that takes a drive without its stock."""

    def opposed(self) -> None:
        self.other = Desk(self.desk.top)
        self.other.stock = self.desk.top / "other/stock.sqlite3"
        self.other.docket = self.desk.top / "opposite.csv"
        self.other.docket.write_bytes(self.desk.docket.read_bytes())
        swapped = {"keep": "fold", "fold": "keep"}
        change(self.other.docket, lambda row: {**row, "action": swapped.get(row["action"], row["action"])})
        self.other.ask("scan", self.other.place)
        self.save(self.other.stock.parent)

    def line(self) -> list[str]:
        if self.command == "unfold-from":
            return ["unfold", "--from", str(self.desk.place)]
        return super().line()


def check_after(scenes: Scenes, hand: Hand, before: set[str], where: str) -> None:
    """Nothing is gone, the ledger is right, and what can be given back is given back."""
    desk = scenes.desk
    gone = (before | hand.made) - hand.destroyed - every_content(*hand.tops())
    assert not gone, f"lost {where}"
    if scenes.command == "unfold-from":
        return
    runs = desk.ask("ledger")["runs"]
    if runs:
        answer = desk.run("unfold", "1", "--json")
        assert answer.status in (0, 1), (where, answer)
    gone = (before | hand.made) - hand.destroyed - every_content(*hand.tops())
    assert not gone, f"lost when it was taken back {where}"
    settled_well(desk, where)


def in_the_gap(sites: list[tuple]) -> set[int]:
    """Return the numbers of the points between the last look at a claim and the rename onto it: docs/promises.md."""
    lines, first = inspect.getsourcelines(names._rename_onto)
    return {
        number for number, site in enumerate(sites, start=1)
        if site[0].endswith("names.py") and first <= site[1] < first + len(lines) and site[-2:] == ("rename", "before")
    }  # fmt: skip


def visit(scenes: Scenes, number: int, act: Act, before: set[str], without: str) -> None:
    """Run the command, with the other hand acting at a point, and look at what came of it."""
    scenes.reset()
    shutil.rmtree(scenes.desk.top / "elsewhere", ignore_errors=True)
    shutil.rmtree(TRASH, ignore_errors=True)
    TRASH.mkdir()  # without it, the desktop's bin lies elsewhere
    hand = Hand(scenes)
    points = Points(lambda at, *_: hand.act(act) if at == number else None, looks=True, until=number)
    with points.armed(without=without):
        answer = scenes.desk.run(*scenes.line())
    site = points.site[number - 1] if number <= len(points.site) else None
    where = f"{scenes.command} {scenes.method}: {act.__name__} at {number}, {site}: {answer}"
    assert answer.status in (0, 1, 2, 3), where
    assert "Traceback" not in answer.err, where
    with lacking(without):
        check_after(scenes, hand, before, where)


HANDED = [
    *CASES,
    *((method, "unfold-from") for method in ("fold", "move-far", "hard-link", "symlink", "words-fold")),
]


def scenes_of(top: Path, far: Path, method: str, command: str) -> HandedScenes:
    scenes = HandedScenes(new_folder(top), far, method, "unfold" if command == "unfold-from" else command)
    scenes.command = command
    scenes.opposed()
    return scenes


def numbers_to_visit(scenes: Scenes, sites: list[tuple], without: str) -> list[int]:
    """Return the points before calls, but for the gap that docs/promises.md tells of."""
    gap = in_the_gap(sites)
    # A release changes no names, and what goes into the fold gets a name that nobody else knows.
    names_nothing = scenes.command in ("release", "rests", "bins")
    names_nothing |= (scenes.method, scenes.command) in (
        ("essence-fold", "fold"), ("vouched-fold", "fold"), ("again-fold", "fold"), ("again-delete", "fold"),
        ("alike-fold", "fold"), ("copy", "unfold"),
    )  # fmt: skip
    assert bool(gap) == (without == "links" and not names_nothing)
    return [number for number in befores(sites) if number not in gap]


def is_told(scenes: Scenes, act: Act, site: tuple) -> bool:
    """Tell whether docs/promises.md says what an act destroys there."""
    return act is saves_over and scenes.method == "move" and site[-2:] == ("unlink", "before")


def of_names(site: tuple) -> bool:
    return site[-2] in (*_NAMES, *_AWAY)


def of_writes(site: tuple) -> bool:
    return not (of_names(site) or is_look(site))


def _when(group: tuple[str, str], kind: Callable[[tuple], bool]) -> tuple[pytest.MarkDecorator, ...]:
    """Return when a group of visits is run: what looks see is the same with and without hard links."""
    return (pytest.mark.long,) if kind is is_look and group[1] else ()


@pytest.mark.parametrize("command", ["fold", "release"])
def test_another_program_loses_nothing_where_names_of_a_plain_fold_change(tmp_path, far, command):
    """What all methods share; their own lines follow in the test of each kind of call."""
    visit_kinds(tmp_path, far, ["fold"], command, "", of_names)


@pytest.mark.more
@pytest.mark.parametrize(("command", "without", "kind"), [
    pytest.param(*group, kind, marks=_when(group, kind))
    for group in [
        *((command, "") for command in dict.fromkeys(command for _, command in HANDED)),
        *((command, "links") for command in ("fold", "unfold", "unfold-from")),
    ]
    for kind in (of_names, of_writes, is_look)
])  # fmt: skip
def test_another_program_loses_nothing_at_any_kind_of_call(tmp_path, far, command, without, kind):
    methods = [method for method, each in HANDED if each == command and method != "clone"]
    visit_kinds(tmp_path, far, ["fold"] if without else methods, command, without, kind)


def visit_kinds(
    tmp_path: Path, far: Path, methods: list[str], command: str, without: str, kind: Callable[[tuple], bool]
) -> None:
    """Have another program act at each place in the code with a kind of call, once for all methods."""
    unvisited, visits, points = Unvisited(), 0, 0
    lines: set[tuple] = set()
    for method in methods:
        scenes = scenes_of(tmp_path / method, new_folder(far / method), method, command)
        before = scenes.kept
        sites = scenes.sites(without, looks=True)
        numbers = [each for each in numbers_to_visit(scenes, sites, without) if kind(sites[each - 1])]
        points += len(sites)
        for number in unvisited.of(numbers, sites):
            site = sites[number - 1]
            acts = acts_at(site, method)
            # A look that others ask for too gets all acts once, and one of them for each further caller.
            if is_look(site) and (line := (*site[:2], *site[-2:])) in lines:
                acts = [acts[visits % len(acts)]]
            elif is_look(site):
                lines.add(line)
            for act in acts:
                if not is_told(scenes, act, site):
                    visit(scenes, number, act, before, without)
                    visits += 1
    print(f"\n{command}{', without ' * bool(without)}{without}: {points} points, {visits} visits by another hand")


@pytest.mark.long
@pytest.mark.parametrize(("method", "command", "without"), [
    (*case, without)
    for case in HANDED
    if case[0] != "clone"
    for without in ("", "renames", "links")
    if without != "links" or case[0] not in LINKED
])  # fmt: skip
def test_another_program_loses_nothing_at_any_point(tmp_path, far, method, command, without):
    scenes = scenes_of(tmp_path / "desk", far, method, command)
    before, sites, visits = scenes.kept, scenes.sites(without, looks=True), 0
    for number in numbers_to_visit(scenes, sites, without):
        for act in ACTS[number % STRIDE :: STRIDE]:
            if not is_told(scenes, act, sites[number - 1]):
                visit(scenes, number, act, before, without)
                visits += 1
    print(f"\n{command}, {method}: {len(sites)} points, {visits} visits by another hand")
