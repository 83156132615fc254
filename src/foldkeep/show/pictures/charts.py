"""Pictures of where the space goes: a map of rectangles, and bars. Drawn by Matplotlib, without a screen."""

from collections.abc import Callable, Iterator, Mapping, Sequence
from functools import lru_cache
from typing import TYPE_CHECKING, Any

from foldkeep.find.coverage import BY_DISKS, Coverage, Standing
from foldkeep.find.projects import PARTS, Project
from foldkeep.find.space import Node, Usage
from foldkeep.formats.own import new_file
from foldkeep.model import UnusableInput, visible
from foldkeep.model.units import format_size

from ..page.words import count, local_day
from .colors import AGE_COLORS, OTHER_FOLDERS, folder_colors, kind_colors, name_of
from .treemap import Box, squarified

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure

_INK, _PAPER, _FRAME, _FOLDER = "#22262a", "#fdfcf8", "#ffffff", "#e9e6dd"
_DPI = 100
_SIZE = (12.8, 8.0)  # inches
_POOLED = ", small ones"
_TIGHT = 46.0  # pixels
_HEADER = 17.0  # points of height that a folder's name takes
_FONT = "DejaVu Sans"
_SMALLEST_LABEL = (34.0, 13.0)


def draw_treemap(path: str, tree: Node, by: str, chosen: Mapping[str, str] | None = None) -> str:
    """Draw what fills a folder as rectangles of its size in rectangles of its folders; return where.

    Parameters
    ----------
    path
        A name that ends in .png or .svg; a taken one gets a free one beside it.
    by
        What colours tell: ``kind`` or ``age``; where all is of one kind, they tell the folders at the top.
    chosen
        Colours of kinds that the user chose, written ``#RRGGBB``.

    Raises
    ------
    UnusableInput
        If it cannot be drawn there.
    """
    folders = None if by == "age" else folder_colors(tree)
    colors = AGE_COLORS if by == "age" else folders or kind_colors(tree.groups, chosen or {})
    where = visible(tree.path) if tree.path else "all places"
    title = f"{where}: {format_size(tree.bytes)}"
    return _saved(path, title, lambda figure: _draw_map(figure, tree, colors, by_folder=folders is not None))


def _draw_map(figure: "Figure", tree: Node, colors: dict[str, str], *, by_folder: bool) -> None:
    from matplotlib.collections import PolyCollection

    axes = figure.add_axes((0.01, 0.07, 0.98, 0.87))
    width, height = figure.get_size_inches() * figure.dpi
    axes.set_xlim(0, width * 0.98)
    axes.set_ylim(0, height * 0.87)
    axes.set_axis_off()
    drawing = _Map(axes, colors, by_folder)
    if tree.bytes:
        drawing.node(tree, Box(0, 0, width * 0.98, height * 0.87), top=True)
    axes.add_collection(
        PolyCollection(
            [box.corners() for box, _, _ in drawing.boxes],
            facecolors=[color for _, color, _ in drawing.boxes],
            edgecolors=_FRAME,
            linewidths=[line for _, _, line in drawing.boxes],
        )
    )
    _legend(figure, [(group, colors[group], drawing.used[group]) for group in colors if group in drawing.used])


class _Map:
    """Lays out a tree: labels are written at once, rectangles are gathered to be drawn in one go."""

    def __init__(self, axes: "Axes", colors: dict[str, str], by_folder: bool) -> None:
        self._axes = axes
        self._colors = colors
        self._by_folder = by_folder
        self.boxes: list[tuple[Box, str, float]] = []
        self.used: dict[str, int] = {}

    def node(self, node: Node, box: Box, *, top: bool = False, below: str = "") -> None:
        """Lay out a folder; `below` is the folder at the top that it lies in."""
        if not top and min(box.width, box.height) < _TIGHT:
            # Frames in frames would leave nothing of it.
            self.boxes.append((box, _FOLDER, 1.0))
            node = Node(node.path, node.groups)
            box, top = box.inside(0.8, 0), True
        name = name_of(node)
        has_room = box.width > 60 and box.height > 3 * _HEADER and not top
        if not top:
            self.boxes.append((box, _FOLDER, 1.5))
        if has_room:
            texts = (f"{name}  {format_size(node.bytes)}", name)
            y = box.y + box.height - _HEADER / 2
            _label(self._axes, box.x + 5, y, texts, box.width - 10, 9, "left", bold=True)
        inner = box.inside(0 if top else 2.5, _HEADER if has_room else 0)
        for size, item, part in _laid_out(node, inner):
            if isinstance(item, Node):
                self.node(item, part, below=below or name_of(item))
                continue
            title, group = item
            if self._by_folder:
                group = below if below in self._colors else OTHER_FOLDERS
            color = self._colors[group]
            self.used[group] = self.used.get(group, 0) + size
            self.boxes.append((part, color, 0.6))
            _fill_label(self._axes, part, title, format_size(size), color)


_Item = Node | tuple[str, str]


def _laid_out(node: Node, box: Box) -> Iterator[tuple[int, _Item, Box]]:
    """Yield what lies in a folder with its rectangle, squarified (Bruls, Huizing and van Wijk, 2000)."""
    items: list[tuple[int, _Item]] = [(folder.bytes, folder) for folder in node.folders]
    items += [(size, (visible(name), group)) for name, size, group in node.files]
    items += [
        (size, (group + _POOLED if node.files or node.folders else group, group)) for group, size in node.own.items()
    ]
    items = sorted(((size, item) for size, item in items if size > 0), key=lambda pair: -pair[0])
    if not items or box.width < 1 or box.height < 1:
        return
    boxes = squarified([size for size, _ in items], box)
    yield from ((size, item, found) for (size, item), found in zip(items, boxes, strict=True))


def _fill_label(axes: "Axes", box: Box, title: str, size: str, color: str) -> None:
    """Write what a rectangle stands for, if it has room: the name, and the size below it."""
    if box.width < _SMALLEST_LABEL[0] or box.height < _SMALLEST_LABEL[1]:
        return
    ink = "#ffffff" if _is_dark(color) else _INK
    middle, center, room = box.x + box.width / 2, box.y + box.height / 2, box.width - 4
    # The colour tells the kind already, so the suffix goes first.
    titles = (title, title.rpartition(".")[0] or title.removesuffix(_POOLED))
    if box.height <= 2.4 * _SMALLEST_LABEL[1]:
        _label(axes, middle, center, titles, room, 8, "center", ink)
    elif _label(axes, middle, center + 7, titles, room, 8, "center", ink):
        _label(axes, middle, center - 7, (size,), room, 8, "center", ink)


def _label(
    axes: "Axes", x: float, y: float, texts: Sequence[str], room: float, size: float, align: str, ink: str = _INK, *,
    bold: bool = False,
) -> bool:  # fmt: skip
    """Write the first of some texts that has room, and tell whether one had."""
    text = next((text for text in texts if _wide(text, size, bold) <= room), None)
    if text is None:
        return False
    weight = "bold" if bold else "normal"
    axes.text(x, y, _plain(text), ha=align, va="center", fontsize=size, color=ink, fontweight=weight, clip_on=True)
    return True


@lru_cache(maxsize=20_000)
def _wide(text: str, size: float, bold: bool) -> float:
    """Return how wide a text is, in pixels."""
    from matplotlib.font_manager import FontProperties, findfont, get_font

    font = get_font(findfont(FontProperties(family=_FONT, weight="bold" if bold else "normal")))
    font.set_size(size, _DPI)
    font.set_text(text)
    return float(font.get_width_height()[0]) / 64


def _is_dark(color: str) -> bool:
    red, green, blue = (int(color[at : at + 2], 16) for at in (1, 3, 5))
    return 0.299 * red + 0.587 * green + 0.114 * blue < 140


def _plain(text: str) -> str:
    """Return text that Matplotlib does not read as a formula."""
    return text.replace("$", r"\$")


def _legend(figure: "Figure", groups: Sequence[tuple[str, str, int]]) -> None:
    from matplotlib.patches import Patch

    if not groups:
        return
    handles = [
        Patch(facecolor=color, edgecolor="#888888", label=f"{name}  {format_size(size)}")
        for name, color, size in groups
    ]
    figure.legend(handles=handles, loc="lower center", ncols=min(len(handles), 6), frameon=False, fontsize=9)


def draw_usage(path: str, usage: Usage, by: str, chosen: Mapping[str, str] | None = None) -> str:
    """Draw parts as bars and return where; arguments and errors as for `draw_treemap`."""
    title = f"Space by {by}: {format_size(usage.total.bytes)}"
    return _saved(path, title, lambda figure: _draw_bars(figure, usage, by, chosen or {}))


_FEWEST_BARS, _FEWEST_STACKS, _MOST_BARS = 10, 5, 30


def _draw_bars(figure: "Figure", usage: Usage, by: str, chosen: Mapping[str, str]) -> None:
    parts = [part for part in usage.parts if part.depth == 0][:_MOST_BARS]
    axes = figure.add_axes((0.2, 0.09, 0.72, 0.83))
    names = [_plain(_short(visible(part.name))) for part in parts]
    kinds = kind_colors((str(part.name) for part in parts), chosen) if by == "kind" else {}
    colors = AGE_COLORS if by == "age" else kinds
    at = range(len(parts))
    sizes = [part.bytes for part in parts]
    axes.barh(
        list(at),
        sizes,
        color=[colors.get(str(part.name), "#0072B2") for part in parts],
        edgecolor="#666666",
        linewidth=0.5,
    )
    axes.set_yticks(list(at), names, fontsize=9)
    for number, part in enumerate(parts):
        words = f" {format_size(part.bytes)}, {count(part.files, 'file')}"
        axes.text(part.bytes, number, words, va="center", fontsize=8.5, color=_INK)
    _plain_axes(axes, max(len(parts), _FEWEST_BARS), max(sizes, default=1))


_PART_COLORS = dict(zip(PARTS, ("#0072B2", "#CC79A7", "#E69F00", "#009E73", "#BDBDBD"), strict=True))


def draw_projects(path: str, found: Sequence[Project]) -> str:
    """Draw a bar for each project, stacked by its parts, the one quiet for the longest on top; return where.

    Arguments and errors as for `draw_treemap`.
    """
    whole = format_size(sum(project.total for project in found))
    title = f"{count(len(found), 'project')}, {whole}, the one quiet for the longest first"
    return _saved(path, title, lambda figure: _draw_stacks(figure, found[:_MOST_BARS]))


def _draw_stacks(figure: "Figure", found: Sequence[Project]) -> None:
    axes = figure.add_axes((0.24, 0.13, 0.68, 0.79))
    at = list(range(len(found)))
    ends = [0] * len(found)
    for part in PARTS:
        sizes = [project.sizes[part] for project in found]
        axes.barh(at, sizes, left=ends, color=_PART_COLORS[part], edgecolor=_PAPER, linewidth=0.5)
        ends = [end + size for end, size in zip(ends, sizes, strict=True)]
    names = [_plain(_short(visible(project.path.rpartition(b"/")[2]))) for project in found]
    words = [f"{project.activity}, {local_day(project.active_ns)}" for project in found]
    axes.set_yticks(at, [f"{name}\n{word}" for name, word in zip(names, words, strict=True)], fontsize=9)
    for number, end in enumerate(ends):
        axes.text(end, number, f" {format_size(end)}", va="center", fontsize=8.5, color=_INK)
    _plain_axes(axes, max(len(found), _FEWEST_STACKS), max(ends, default=1))
    _legend(figure, [(part, _PART_COLORS[part], sum(project.sizes[part] for project in found)) for part in PARTS])


_STANDING_COLORS = dict(zip(BY_DISKS, ("#D55E00", "#E69F00", "#999999", "#0072B2"), strict=True))
_STANDING_WORDS = dict(
    zip(BY_DISKS, ("only once", "several times on one disk", "disks not known", "on two disks or more"), strict=True)
)


def draw_coverage(path: str, found: Coverage, labels: Mapping[int, str]) -> str:
    """Draw a bar for each place and kind, stacked by how safe its contents are, and return where.

    Arguments and errors as for `draw_treemap`; `labels` are those of places by number.
    """
    title = f"{count(found.all.contents, 'content')}, {format_size(found.all.bytes)}, by the disks that they lie on"
    return _saved(path, title, lambda figure: _draw_standings(figure, found, labels))


def _draw_standings(figure: "Figure", found: Coverage, labels: Mapping[int, str]) -> None:
    parts = [(f"place {labels[number]}", each) for number, each in found.places.items()]
    parts += [(kind, each) for kind, each in found.kinds.items()]
    sizes = {name: sum(each[standing].bytes for standing in BY_DISKS) for name, each in parts}
    parts.sort(key=lambda part: (not part[0].startswith("place "), -sizes[part[0]]))
    parts = parts[:_MOST_BARS]
    axes = figure.add_axes((0.2, 0.13, 0.72, 0.79))
    at = list(range(len(parts)))
    ends = [0] * len(parts)
    for standing in BY_DISKS:
        widths = [each[standing].bytes for _, each in parts]
        axes.barh(at, widths, left=ends, color=_STANDING_COLORS[standing], edgecolor=_PAPER, linewidth=0.5)
        ends = [end + width for end, width in zip(ends, widths, strict=True)]
    axes.set_yticks(at, [_plain(_short(visible(name))) for name, _ in parts], fontsize=9)
    for number, (_, each) in enumerate(parts):
        once = each[Standing.ONCE]
        words = f" {format_size(ends[number])}, only once: {format_size(once.bytes)}"
        axes.text(ends[number], number, words, va="center", fontsize=8.5, color=_INK)
    _plain_axes(axes, max(len(parts), _FEWEST_BARS), max(ends, default=1))
    legend = [(_STANDING_WORDS[each], _STANDING_COLORS[each], found.total[each].bytes) for each in BY_DISKS]
    _legend(figure, legend)


def _plain_axes(axes: "Axes", bars: int, longest: int) -> None:
    # A few bars are as thick as many would be.
    axes.set_ylim(bars - 0.4, -0.6)
    axes.set_xlim(0, longest * 1.25 or 1)
    axes.xaxis.set_major_formatter(lambda value, _: format_size(int(value)))
    axes.tick_params(axis="x", labelsize=8.5)
    for side in ("top", "right"):
        axes.spines[side].set_visible(False)
    axes.set_facecolor(_PAPER)


def _short(text: str, letters: int = 28) -> str:
    return text if len(text) <= letters else "…" + text[1 - letters :]


def _saved(path: str, title: str, draw: "Callable[[Figure], Any]") -> str:
    """Draw a figure, save it under a name that is free and return that."""
    import os

    suffix = os.path.splitext(path)[1].lower()
    is_svg = suffix == ".svg"
    if suffix not in (".png", ".svg"):
        raise UnusableInput(f"cannot draw {visible(path)}", "name a file that ends in .png or .svg")
    from matplotlib import rc_context
    from matplotlib.figure import Figure

    # Text stays text in SVG, and the same figures give the same file.
    with rc_context({"svg.fonttype": "none", "svg.hashsalt": "foldkeep", "font.family": _FONT}):
        figure = Figure(figsize=_SIZE, dpi=_DPI, facecolor=_PAPER)
        figure.text(0.01, 0.972, _plain(_short(title, 110)), fontsize=13, fontweight="bold", color=_INK, va="center")
        draw(figure)
        with new_file(path) as (target, file):
            figure.savefig(file, format=suffix[1:], facecolor=_PAPER, metadata={"Date": None} if is_svg else {})
            return target
