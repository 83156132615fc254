"""Measures of choosing, of pages with pictures, and of the look at a docket before anything is folded."""

import io
import random
import shlex
import shutil
import sys
from collections.abc import Iterator
from pathlib import Path

from .stocks import fill_stock
from .timing import Row, in_turn, run, seconds, words

_SETS = 1000
_WIDTH, _HEIGHT = 5472, 3648
_THUMBNAILS = """\
import io
import os

from PIL import Image

for name in sorted(os.listdir("a")):
    with Image.open(f"a/{name}") as image:
        image.draft("RGB", (576, 432))
        image.thumbnail((288, 216))
        image.save(io.BytesIO(), "JPEG", quality=70)
"""


def messes(folder: Path) -> Iterator[Row]:
    """How many of the small libraries of the tests are decided as a person would."""
    sys.path.insert(0, str(Path(__file__).parent.parent / "tests"))
    from harness.desks import Desk
    from messes import MESSES
    from messes.mess import make, proposed, wanted

    right = 0
    for number, mess in enumerate(MESSES):
        (folder / str(number)).mkdir()
        desk = Desk(folder / str(number))
        make(mess, desk)
        right += proposed(mess, desk).keys() == wanted(mess, desk)
    yield ("messes decided as a person would", f"{right} of {len(MESSES)}", "", f"{right / len(MESSES):.2f}", "1")


def choosing(folder: Path, foldkeep: str) -> Iterator[Row]:
    """Keepers of 96,750 sets among 1,000,000 files, beside sorting the docket by digest."""
    fill_stock(str(folder / "stock"), 1_000_000, folder / "here")
    run(f"{foldkeep} keep -o docket.csv --stock stock --quiet", folder)
    line = f"rm -f new.csv; {foldkeep} keep -o new.csv --stock stock --quiet"
    ours, theirs = in_turn(line, "sort -t, -k7 docket.csv", folder)
    beside, ratio = (
        f"{seconds(theirs.seconds)} (`sort` of the docket by digest)",
        f"{ours.seconds / theirs.seconds:.0f}",
    )
    yield ("`keep -o`, 1,000,000 files, 96,750 sets", words(ours), beside, ratio, "≤ 5 s")


def sheets(folder: Path, foldkeep: str) -> Iterator[Row]:
    """A page of 1,000 sets of photos of 20 megapixels, beside thumbnails made by a plain loop."""
    bodies = [_photo(seed) for seed in range(8)]
    for side in "ab":
        (folder / side).mkdir()
        for number in range(_SETS):
            body, comment = bodies[number % len(bodies)], b"set %d" % number
            segment = b"\xff\xfe" + (len(comment) + 2).to_bytes(2, "big") + comment  # ITU-T T.81, B.2.4.5
            (folder / side / f"kite{number:04}.jpg").write_bytes(body[:2] + segment + body[2:])
    (folder / "plain.py").write_text(_THUMBNAILS)
    run(f"{foldkeep} scan a b --stock scanned --quiet && {foldkeep} keep -o d.csv --stock scanned --quiet", folder)

    def forget() -> None:
        for path in (*folder.glob("stock*"), *folder.glob("sheet*")):
            path.unlink()
        shutil.copy(folder / "scanned", folder / "stock")

    sheet, again = f"{foldkeep} sheet d.csv -o sheet.html --stock stock --quiet", "rm -f sheet.html"
    plain = f"{shlex.quote(sys.executable)} plain.py"
    ours, theirs = in_turn(sheet, plain, folder, before=forget)
    beside = f"{seconds(theirs.seconds)} (the same thumbnails in a Pillow loop with draft mode, one core)"
    yield (f"`sheet`, {_SETS:,} sets of 20 MP JPEGs, first", words(ours), beside,
           f"{ours.seconds / theirs.seconds:.2f}", "≤ 0.6")  # fmt: skip
    run(f"rm -f sheet.html; {sheet}", folder)
    ready, _ = in_turn(f"{again}; {sheet}", "true", folder)
    yield ("`sheet`, the same again", words(ready), "", "", "≤ 1.5 s")


def _photo(seed: int) -> bytes:
    """Return a JPEG of 20 megapixels, of large shapes and grain."""
    from PIL import Image

    shapes = Image.frombytes("RGB", (120, 80), random.Random(seed).randbytes(120 * 80 * 3))
    shapes = shapes.resize((_WIDTH, _HEIGHT), Image.Resampling.BICUBIC)
    grain = Image.effect_noise((_WIDTH, _HEIGHT), 14 + 2 * seed).convert("RGB")
    stream = io.BytesIO()
    Image.blend(shapes, grain, 0.25).save(stream, "JPEG", quality=72)
    return stream.getvalue()


def last_look(folder: Path, foldkeep: str) -> Iterator[Row]:
    """A docket of 100,000 rows to fold, up to the question whether to go ahead."""
    for side in "ab":
        for day in range(100):
            here = folder / "library" / side / f"day{day:03}"
            here.mkdir(parents=True)
            for number in range(1000):
                (here / f"kite{number:04}.jpg").write_bytes(b"%d %d " % (day, number) * 40)
    run(f"{foldkeep} scan library --stock stock --quiet && {foldkeep} keep -o d.csv --stock stock --quiet", folder)
    ours, _ = in_turn(f"echo n | {foldkeep} fold d.csv --stock stock", "true", folder)
    yield ("`fold` to the question, 100,000 rows to fold", words(ours), "", "", "≤ 10 s")
