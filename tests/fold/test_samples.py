"""What earlier versions left on people's disks: read, taken back and carried on with."""

import shutil
from pathlib import Path

import pytest

from harness.desks import Desk
from harness.packages import extract

SAMPLES = Path(__file__).parents[1] / "samples"


@pytest.mark.parametrize("alone", [False, True])
def test_folds_of_the_version_before_come_back(desk: Desk, alone):
    extract(SAMPLES / "folded-by-0.1.tar.gz", desk.top)
    runs = desk.ask("ledger")["runs"]
    assert [run["method"] for run in runs] == ["fold", "hard-link", "symlink", "move"]
    if alone:
        shutil.rmtree(desk.stock.parent)
    answer = desk.ask("unfold", "--from", desk.place)
    assert (answer["restored"], answer["renamed"], answer["left"]) == (5, [], [])
    for method in ("fold", "hard-link", "symlink", "move"):
        spare = desk.place / method / "spares/kite copy.jpg"
        assert spare.read_bytes() == b"kite of " + method.encode()
        assert not spare.is_symlink()
        assert spare.stat().st_nlink == 1
    assert (desk.place / "fold/spares/kite copy.xmp").read_bytes() == b"only the spare says so"
    assert not (desk.place / ".foldkeep").exists()


def test_what_version_0_2_left_is_read_at_another_path(desk: Desk):
    """A stock of schema 10 with a run that waits, its docket, an inventory and a package, all made at /tmp/windmere."""
    extract(SAMPLES / "made-by-0.2.tar.gz", desk.top)
    made = desk.top / "windmere"
    desk.stock, desk.place = made / "stock.sqlite3", made / "place"
    assert [each["now"] for each in desk.ask("places")["places"]] == ["away"]
    assert desk.run("places", "place", "--at", desk.place).status == 0
    assert desk.ask("scan")["problems"] == []
    assert desk.ask("unfold", "1")["restored"] == 3
    for number in (1, 2, 3):
        assert (desk.place / f"card/copy of kite{number}.jpg").read_bytes() == b"kite %d" % number * 200
    assert desk.ask("fold", made / "docket.csv", "--yes")["folded"] == 3  # it names the paths of before
    assert desk.ask("release", "--last", "--yes")["released"] == 3
    inventory = made / "place.inventory"
    assert len(desk.ask("list", "--inventory", inventory)["files"]) == 5
    assert desk.run("archive", "--check", made / "packages/edit").status == 0
    (made / "back").mkdir()
    assert desk.run("restore", made / "packages/edit", "--to", made / "back").status == 0
    assert (made / "back/edit/a.mp4").read_bytes() == b"film"
