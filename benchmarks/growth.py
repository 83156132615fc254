"""How the cost of each command grows with the files of the stock, measured and drawn.

python -m benchmarks.growth [FILES…]    (10,000 100,000 1,000,000 5,000,000 if none are named)

Writes docs/performance-*.svg: seconds, and memory, beside a line that grows as the files do. A curve that bends upwards
from that line is a defect.
"""

import json
import sys
import tempfile
from pathlib import Path

from .measures import FOLDKEEP
from .stocks import fill_stock
from .timing import Cost, run, seconds

SIZES = (10_000, 100_000, 1_000_000, 5_000_000)
DRAWN = Path(__file__).parent.parent / "docs"
GROUPS = {
    "looking": {
        "duplicates": "duplicates --top 20",
        "duplicates --folders": "duplicates --folders --top 20",
        "space": "space",
        "list": "list --sort size --top 20",
        "coverage": "coverage",
        "caches": "caches",
    },
    "choosing": {
        "keep -o": "keep -o {docket}",
        "inventory save": "inventory save {docket}",
        "projects": "projects",
        "room": "room 1GB",
    },
}
"""The commands of each picture, as they are typed after `foldkeep`."""

Figures = dict[str, dict[int, Cost]]


def measure(folder: Path, sizes: list[int]) -> dict[str, Figures]:
    """Return what each command costs on stocks of some sizes, whose places are empty folders that are here."""
    found: dict[str, Figures] = {group: {name: {} for name in commands} for group, commands in GROUPS.items()}
    for size in sizes:
        top = folder / str(size)
        top.mkdir()
        fill_stock(str(top / "stock"), size, top / "drives")
        for group, commands in GROUPS.items():
            for name, words in commands.items():
                line = words.format(docket=top / f"{name.split()[0]}.out")
                cost = run(f"{FOLDKEEP} {line} --stock {top / 'stock'} --quiet || [ $? = 1 ]", top)
                found[group][name][size] = cost
                print(f"{name}, {size:,} files: {seconds(cost.seconds)}, {cost.memory / 1e6:.0f} MB", flush=True)
    return found


def draw(group: str, figures: Figures, path: Path) -> None:
    """Draw seconds and memory over files, each command a line, on scales on which even growth is straight."""
    from matplotlib.figure import Figure

    figure = Figure(figsize=(9, 4), layout="constrained")
    left, right = figure.subplots(1, 2)
    for axes, title, value in (
        (left, "seconds", lambda cost: cost.seconds),
        (right, "memory in MB", lambda cost: cost.memory / 1e6),
    ):
        for name, costs in figures.items():
            axes.plot(list(costs), [value(cost) for cost in costs.values()], marker="o", markersize=3, label=name)
        axes.set(xscale="log", yscale="log", xlabel="files in the stock", title=title)
        axes.grid(alpha=0.3)
    sizes = sorted({size for costs in figures.values() for size in costs})
    least = min(cost.seconds for costs in figures.values() for cost in costs.values())
    left.plot(sizes, [least * size / sizes[0] for size in sizes], "k:", linewidth=1, label="grows as the files do")
    left.legend(fontsize="small")
    figure.suptitle(group)
    figure.savefig(path, metadata={"Date": None})


def main() -> None:
    """Measure, draw, and print the figures as JSON at the end."""
    sizes = [int(word.replace(",", "")) for word in sys.argv[1:]] or list(SIZES)
    with tempfile.TemporaryDirectory(prefix="growth-") as folder:
        found = measure(Path(folder), sizes)
    for group, figures in found.items():
        draw(group, figures, DRAWN / f"performance-{group}.svg")
    told = {name: {size: cost.seconds for size, cost in costs.items()} for each in found.values()
            for name, costs in each.items()}  # fmt: skip
    print(json.dumps(told))


if __name__ == "__main__":
    main()
