"""Places within places: each is walked by its own rules, whatever the one around it passes by."""

import os
from pathlib import Path

import pytest

from harness.desks import Desk
from harness.drives import mounted

INNER = {
    "hidden": (".cache", []),
    "system": ("Recycled", []),
    "bundle": ("Edit.fcpbundle", []),
    "deep": (".a/Trip.photoslibrary/lost+found", []),
    "role": ("shelf", ["--role", "backup"]),
    "all of its own": (".all", ["--hidden", "--system", "--bundles"]),
}
ODD = [".hidden/x.jpg", "Thumbs.db", "found.000/y.jpg", "Book.photoslibrary/z.jpg", ".dot.jpg", "plain/p.jpg", "q.jpg"]


def fill(folder: Path) -> None:
    for number, name in enumerate(ODD):
        path = folder / name
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_bytes(b"%d" % number + os.fsencode(folder))


def files_of(desk: Desk) -> dict[str, set[str]]:
    """Return the files by place, as the stock knows them."""
    found: dict[str, set[str]] = {}
    for file in desk.ask("list", "--top", "10000")["files"]:
        found.setdefault(file["place"], set()).add(file["path"])
    return found


@pytest.mark.parametrize("inner", INNER)
def test_a_place_within_a_place_is_what_it_would_be_alone(tmp_path: Path, inner: str):
    name, options = INNER[inner]
    desk = Desk(tmp_path)
    within, innermost = desk.place / name, desk.place / name / "plain" / ".deepest"
    for folder in (desk.place, within, innermost):
        fill(folder)
    lonely = Desk(tmp_path / "lonely") if (tmp_path / "lonely").mkdir() is None else None
    expected = {}
    for folder, asked in ((desk.place, []), (within, options), (innermost, ["--hidden"])):
        lonely.run("scan", folder, *asked)
        found = set().union(*files_of(lonely).values())
        expected[str(folder)] = found
        lonely.run("places", "--forget", str(folder))
    expected[str(desk.place)] -= {path for path in expected[str(desk.place)] if path.startswith(f"{within}/")}
    expected[str(within)] -= {path for path in expected[str(within)] if path.startswith(f"{innermost}/")}
    for folder, asked in ((desk.place, []), (within, options), (innermost, ["--hidden"])):
        assert desk.run("scan", folder, *asked).status == 0
    labels = {place["label"]: place["path"] for place in desk.ask("places")["places"]}
    for line in (["scan"], ["scan", desk.place], ["scan", within], ["checkup"], ["scan", innermost, desk.place]):
        desk.run(*line)
        found = {labels[label]: paths for label, paths in files_of(desk).items()}
        assert found == {place: paths for place, paths in expected.items() if paths}, line
    desk.run("places", "--forget", str(within))
    desk.run("scan")
    assert str(innermost) in {labels[label] for label in files_of(desk)}  # though nobody walks what is around it


def test_a_place_whose_drive_is_away_stays_known_while_the_one_around_it_is_scanned(tmp_path: Path):
    desk = Desk(tmp_path)
    desk.write("a.jpg", b"kite one")
    point = desk.place / "drive"
    point.mkdir()
    if not mounted("-t", "tmpfs", "none", str(point)):
        pytest.skip("no mounts can be made here")
    try:
        (point / "b.jpg").write_bytes(b"kite two")
        desk.run("scan", desk.place, point)
    finally:
        os.system(f"umount '{point}'")  # noqa: S605
    answer = desk.run("scan", desk.place)
    assert answer.status == 0
    assert {os.path.basename(path) for paths in files_of(desk).values() for path in paths} == {"a.jpg", "b.jpg"}
