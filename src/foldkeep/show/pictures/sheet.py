"""The sheet: sets with pictures on one page, to look at and to decide in a browser; and as one picture."""

import base64
import json
import os
import shlex
from collections.abc import Iterable, Iterator
from importlib.resources import files
from typing import TYPE_CHECKING, Any, NamedTuple

from foldkeep.formats.own import new_file
from foldkeep.keep import COLUMNS, ORIGIN, SheetCopy, SheetSet, Side
from foldkeep.keep.register import DECIDED
from foldkeep.model import Action, DocketRow, visible
from foldkeep.model.files import format_digest
from foldkeep.model.names import file_uri
from foldkeep.model.units import format_moment, format_size

from ..page.facts import fact_words

if TYPE_CHECKING:
    from PIL.Image import Image
    from PIL.ImageDraw import ImageDraw
    from PIL.ImageFont import FreeTypeFont

_PARTS = ("sheet.html", "compare.css", "compare.js")
_BRIEF = ("pixels", "taken", "camera", "length", "title", "artist", "rating", "problem")


class SheetOrigin(NamedTuple):
    """The docket of which a sheet is made.

    Attributes
    ----------
    shown, name
        What a person types for it, and its number as in ``d12``; empty if it has none.
    digest
        Of its bytes, as hexadecimal digits.
    folder
        In which browsers save.
    """

    shown: str
    name: str
    digest: str
    folder: str

    @property
    def saved(self) -> str:
        """The file in which a browser saves the decisions, if no other has its name."""
        stem = os.path.splitext(os.path.basename(self.shown))[0]
        return os.path.join(self.folder, f"{stem or 'docket'}{DECIDED}.csv")

    @property
    def words(self) -> str:
        """What the file that a browser saves says of the docket."""
        return f"{self.name} {self.digest}" if self.name else ""


def write_sheet(path: str, sets: Iterable[SheetSet], title: str, origin: SheetOrigin) -> tuple[str, int]:
    """Write a page of HTML that needs nothing else; return where, and its size in bytes.

    Names stand in it as data, never as markup. Raises UnusableInput if it cannot be written.
    """
    from jinja2 import Environment
    from markupsafe import Markup

    data = {
        "columns": (*COLUMNS, ORIGIN) if origin.words else COLUMNS,
        "docket": os.path.basename(origin.saved),
        "command": f"foldkeep fold {shlex.quote(visible(origin.saved))}",
        "from": origin.words,
        "sets": [_set_document(found) for found in sets],
    }
    parts = {name: files("foldkeep.show.pictures").joinpath("templates", name).read_text("utf-8") for name in _PARTS}
    template = Environment(autoescape=True).from_string(parts["sheet.html"])
    page = template.render(
        title=title,
        subtitle=visible(os.path.basename(origin.shown)),
        data=Markup(_harmless(data)),  # noqa: S704
        compare_style=Markup(parts["compare.css"]),  # noqa: S704
        compare_script=Markup(parts["compare.js"]),  # noqa: S704
    ).encode()
    with new_file(path) as (target, stream):
        stream.write(page)
    return target, len(page)


def _harmless(data: Any) -> str:
    """Return JSON that ends no script, whatever names are in it (HTML, 4.12.1.3)."""
    text = json.dumps(data, separators=(",", ":"))
    return text.replace("<", r"\u003c").replace(">", r"\u003e").replace("&", r"\u0026")


def _set_document(found: SheetSet) -> dict[str, Any]:
    words = fact_words(found.facts)
    first = found.first
    return {
        "id": found.id,
        "kind": first.kind,
        "size": first.size,
        "brief": " · ".join(words[name] for name in _BRIEF if name in words),
        "facts": list(words.items()),
        "picture": _text(found.picture) if found.picture else None,
        "copies": [{**_copy_document(copy, first), **_says_document(copy, found)} for copy in found.copies],
        **({"sides": [_side_document(side, found) for side in found.sides]} if found.sides else {}),
    }


# What people and programs write; how a file is stored is in its reason, or in what is compared.
_SAID = ("stored", "title", "artist", "album", "track", "rating", "keywords", "caption")


def _says_document(copy: SheetCopy, found: SheetSet) -> dict[str, Any]:
    """Return what a copy says of itself where another content of its set says otherwise."""
    words = {digest: fact_words(facts) for digest, facts in found.says.items()}
    mine = words.get(copy.row.digest or b"")
    if mine is None:
        return {}
    apart = [title for title in _SAID if len({each.get(title) for each in words.values()}) > 1]
    return {"says": "; ".join(f"{title} {mine[title]}" if title in mine else f"no {title}" for title in apart)}


def _side_document(side: Side, found: SheetSet) -> dict[str, Any]:
    """Return what the page needs to compare a content: which copy has it, what is to be seen, and how it lies."""
    laid = side.laid
    number = next(at for at, copy in enumerate(found.copies) if copy.row.path == side.file.path)
    told: dict[str, Any] = {
        "copy": number,
        "pictures": list(map(_text, side.pictures)),
        **({"swings": _text(side.swings), "seconds": side.seconds} if side.swings else {}),
    }
    if laid is None:
        return told
    return {
        **told,
        "like": round(laid.like, 3),
        "cut": laid.cut,
        "layout": laid.layout,
        "border": side.border if laid.within[0] else (),
        "first_border": (laid.first_border or found.sides[0].border) if laid.within[1] else (),
        "on_first": laid.is_on_first,
        "offset": round(laid.offset, 2),
        "moments": laid.moments,
        "first": list(map(_text, laid.first_pictures)),
    }


def _text(content: bytes) -> str:
    return base64.b64encode(content).decode()


def _copy_document(copy: SheetCopy, first: DocketRow) -> dict[str, Any]:
    """Return what the page needs of a copy; what it can find out itself is left out, since there may be many."""
    row = copy.row
    folder, name = os.path.split(row.path)
    return {
        "action": str(row.action),
        "folder": visible(folder),
        "name": visible(name),
        "uri": file_uri(row.path),
        "iso": format_moment(row.modified_ns),
        "digest": format_digest(row.digest) if row.digest else "",
        "reason": row.reason,
        "place": f"{visible(copy.place)} ({copy.role})" if copy.place else "in no place",
        **({"size": row.size} if row.size != first.size else {}),
        **({"kind": row.kind} if row.kind != first.kind else {}),
        **({} if copy.here else {"away": True}),
        **({"notes": notes} if (notes := ", ".join(_notes(copy))) else {}),
    }


def _notes(copy: SheetCopy) -> Iterator[str]:
    if not copy.here:
        yield "away, or gone"
    if copy.links > 1:
        yield f"{copy.links} names"
    yield from (f"with {visible(name)}" for name in copy.sidecars)


_WIDTH, _COLUMNS, _MARGIN, _LOOK, _LINE = 1280, 4, 16, (284, 190), 17
_MOST = 16
_INK, _QUIET, _PAPER, _CARD = "#22262a", "#5d666e", "#fdfcf8", "#f1efe8"
_TONES = {Action.KEEP: "#1a7f37", Action.FOLD: "#9a4a00", Action.LEAVE: "#5d666e"}
_LINES = 5


def draw_sheet(path: str, sets: Iterable[SheetSet], title: str) -> str:
    """Draw the first sets as a contact sheet, one picture as PNG; return where.

    Raises UnusableInput if it cannot be written.
    """
    from PIL import Image, ImageDraw

    shown = [found for _, found in zip(range(_MOST), sets, strict=False)]
    cell = _LOOK[1] + _LINE * (_LINES + 1) + _MARGIN
    rows = max(1, -(-len(shown) // _COLUMNS))
    picture = Image.new("RGB", (_WIDTH, 56 + rows * (cell + _MARGIN)), _PAPER)
    draw = ImageDraw.Draw(picture)
    draw.text((_MARGIN, 16), title, fill=_INK, font=_font(18, bold=True))
    for number, found in enumerate(shown):
        x = _MARGIN + number % _COLUMNS * ((_WIDTH - _MARGIN) // _COLUMNS)
        y = 56 + number // _COLUMNS * (cell + _MARGIN)
        _draw_set(picture, draw, found, x, y)
    with new_file(path) as (target, stream):
        picture.save(stream, "PNG")
    return target


def _draw_set(picture: "Image", draw: "ImageDraw", found: SheetSet, x: int, y: int) -> None:
    import io

    from PIL import Image

    draw.rectangle((x, y, x + _LOOK[0], y + _LOOK[1]), fill=_CARD)
    if found.picture:
        look = Image.open(io.BytesIO(found.picture))
        look.thumbnail(_LOOK)
        picture.paste(look, (x + (_LOOK[0] - look.width) // 2, y + (_LOOK[1] - look.height) // 2))
    else:
        draw.text((x + _LOOK[0] // 2, y + _LOOK[1] // 2), found.first.kind, fill=_QUIET, font=_font(13), anchor="mm")
    y += _LOOK[1] + 6
    differ = len({copy.row.size for copy in found.copies}) > 1
    held = "files of different content" if differ else f"× {format_size(found.first.size)}"
    head = f"{found.first.kind}, {len(found.copies)} {held}"
    draw.text((x, y), head, fill=_INK, font=_font(13, bold=True))
    shown = found.copies if len(found.copies) <= _LINES else found.copies[: _LINES - 1]
    for copy in shown:
        y += _LINE
        row = copy.row
        draw.text((x, y), str(row.action), fill=_TONES[row.action], font=_font(12, bold=True))
        draw.text((x + 42, y), _end_of(visible(row.path), _LOOK[0] - 42), fill=_INK, font=_font(12))
    if len(shown) < len(found.copies):
        draw.text((x, y + _LINE), f"… and {len(found.copies) - len(shown)} more", fill=_QUIET, font=_font(12))


def _end_of(text: str, room: int) -> str:
    """Return as much of the end of a text as has room: copies differ there."""
    font = _font(12)
    if font.getlength(text) <= room:
        return text
    while text and font.getlength("…" + text) > room:
        text = text[1:]
    return "…" + text


def _font(size: int, *, bold: bool = False) -> "FreeTypeFont":
    from matplotlib.font_manager import FontProperties, findfont
    from PIL import ImageFont

    weight = "bold" if bold else "normal"
    return ImageFont.truetype(findfont(FontProperties(family="DejaVu Sans", weight=weight)), size)
