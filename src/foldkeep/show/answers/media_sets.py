"""Sets of media of several contents that show or sound the same."""

from collections.abc import Iterator, Mapping, Sequence
from typing import NamedTuple

from foldkeep.find.copies import MediaCopy, MediaSet, Same, Totals, files_of, totals_of
from foldkeep.model import CopySet, visible
from foldkeep.model.files import format_digest
from foldkeep.model.names import file_uri
from foldkeep.model.units import format_moment, format_size
from foldkeep.scan import Presence

from ..page.documents import Document, file_document
from ..page.facts import fact_words
from ..page.lines import NOTHING_FITS, write_rest
from ..page.page import CARE, GAIN, QUIET, STRONG, Page
from ..page.tables import Column
from ..page.words import count
from .duplicates import set_document, totals_document, write_set

MEDIA_COLUMNS = (
    "set", "kind", "size", "copies", "can_come_free", "path", "place", "modified", "digest", "rest", "says", "uri",
)  # fmt: skip
"""Columns of the table that `duplicates --csv` writes with --same essence or decoded."""

_NOTHING = {
    Same.ESSENCE: "No two files in your places have the same picture or sound under other words.",
    Same.DECODED: "No two files in your places decode to the same samples, pixels or packets.",
}
_AGREE = {
    Same.ESSENCE: "The same picture or sound in each, under other words.",
    Same.DECODED: "Coded otherwise, or in another container, but decoded the same. None can be rebuilt from another.",
}
_CODED = ("format", "picture codec", "sound codec")
_WRITTEN = (
    "stored", "taken", "camera", "lens", "software", "title", "artist", "album", "track", "rating", "keywords",
    "caption",
)  # fmt: skip
_LONGEST = 60


class MediaSetsAnswer(NamedTuple):
    """Answer of `duplicates --same essence`, and of `--same decoded`."""

    same: Same
    sets: Sequence[MediaSet | CopySet]
    presences: Mapping[int, Presence]
    top: int | None
    details: bool = False
    nothing_fits: bool = False

    def document(self) -> Document:
        """Return the JSON document."""
        kinds = dict(totals_of(self.sets))
        return {
            "command": "duplicates",
            "totals": totals_document(Totals.of(kinds.values())),
            "kinds": {kind: totals_document(totals) for kind, totals in kinds.items()},
            "sets": [
                media_set_document(each) if isinstance(each, MediaSet) else {**set_document(each), "same": "content"}
                for each in self.sets[: self.top]
            ],
        }

    def write(self, page: Page) -> None:
        """Write it for people."""
        if self.nothing_fits:
            page.line(NOTHING_FITS)
            return
        if not self.sets:
            page.line(_NOTHING[self.same])
            return
        kinds = list(totals_of(self.sets))
        rows = [*kinds, ("in all", Totals.of(totals for _, totals in kinds))]
        page.table(
            [Column("kind"), Column("sets", True), Column("spares", True), Column("can come free", True, GAIN)],
            [(name, f"{t.sets:,}", f"{t.spares:,}", format_size(t.reclaimable)) for name, t in rows],
            total=True,
        )
        if all(isinstance(each, MediaSet) for each in self.sets):
            page.line()
            page.line(_AGREE[self.same])
        if self.top == 0:
            return
        shown = self.sets[: self.top]
        with page.below(file.path for each in shown for file in files_of(each)):
            for each in shown:
                if isinstance(each, MediaSet):
                    _write_set(page, each)
                else:
                    page.line()
                    write_set(page, each, self.presences, proven=True, details=self.details)
        write_rest(page, len(self.sets), self.top, "set")


def media_rows(sets: Sequence[MediaSet | CopySet]) -> Iterator[list[str]]:
    """Yield the cells of `MEDIA_COLUMNS` for every copy of every set."""
    for each in sets:
        files = files_of(each)
        shared = [each.id, files[0].kind, str(each.size), str(len(files)), str(each.reclaimable)]
        said = [("", "")] * len(files)
        if isinstance(each, MediaSet):
            apart = zip(each.copies, said_apart(each), strict=True)
            said = [
                (str(copy.rest) if each.same is Same.ESSENCE else "", "; ".join(_phrases(words)))
                for copy, words in apart
            ]
        for file, words in zip(files, said, strict=True):
            yield [
                *shared, visible(file.path), file.place.label, format_moment(file.modified_ns),
                format_digest(file.digest or b""), *words, file_uri(file.path),
            ]  # fmt: skip


def said_apart(found: MediaSet) -> list[dict[str, str]]:
    """Return, for each copy of a set, what it says where not all say the same: words by name, empty for nothing."""
    said = [fact_words(copy.says) for copy in found.copies]
    more = [copy.more for copy in found.copies]
    titles = _WRITTEN if found.same is Same.ESSENCE else (*_CODED, *_WRITTEN)
    names = [name for name in titles if len({words.get(name) for words in said}) > 1]
    beside = sorted(
        name for name in set[str]().union(*more) - {"orientation"} if len({each.get(name) for each in more}) > 1
    )
    return [
        {**{name: words.get(name, "") for name in names}, **{name: mine.get(name, "") for name in beside}}
        for words, mine in zip(said, more, strict=True)
    ]


def _phrases(words: dict[str, str]) -> Iterator[str]:
    for name, value in words.items():
        short = value if len(value) <= _LONGEST else value[: _LONGEST - 1] + "…"
        if name == "stored":
            yield short or "upright"
        elif name in _CODED:
            yield from [short] if value else []
        else:
            yield f"{name}: {short}" if value else f"no {name}"


def _write_set(page: Page, found: MediaSet) -> None:
    page.line()
    page.line(
        (f"{format_size(found.reclaimable):>8}", GAIN),
        (f"  {found.copies[0].file.kind}, {count(len(found.copies), 'file')} to {format_size(found.size)}", STRONG),
        (f"  {found.id}", QUIET),
        (f"  also in {', '.join(found.backed_up)}" if found.backed_up else "", QUIET),
        (f"  perhaps kept alike on {', '.join(found.mirrored)}" if found.mirrored else "", QUIET),
    )
    if found.same is Same.DECODED:
        page.line((found.what, QUIET), indent=10)
    for copy, words in zip(found.copies, said_apart(found), strict=True):
        page.line(page.path(copy.file.path), indent=10)
        page.line((_says(copy, words), CARE if _changes_sight(copy, found) else QUIET), indent=12)


def _says(copy: MediaCopy, words: dict[str, str]) -> str:
    other = f"other words, in {count(copy.rest, 'byte')}" if copy.rest else f"{copy.file.size:,} bytes"
    return "; ".join(_phrases(words)) or other


def _changes_sight(copy: MediaCopy, found: MediaSet) -> bool:
    """Tell whether its words make a copy look other than all of the set do."""
    return any(copy.more != other.more for other in found.copies) and bool(copy.more)


def media_set_document(found: MediaSet) -> Document:
    """Return a set with all its files."""
    return {
        "id": found.id,
        "size": found.size,
        "kind": found.copies[0].file.kind,
        "same": str(found.same),
        "digest": None,
        str(found.same): format_digest(found.agreed),
        "essence_of" if found.same is Same.ESSENCE else "compared": found.what,
        "proven": True,
        "reclaimable": found.reclaimable,
        "backed_up": list(found.backed_up),
        "mirrored": list(found.mirrored),
        "copies": [
            {
                **file_document(copy.file),
                "digest": format_digest(copy.file.digest or b""),
                **({"rest": copy.rest} if found.same is Same.ESSENCE else {}),
                "says": words,
                "changes_sight" if found.same is Same.ESSENCE else "beside": copy.more,
            }
            for copy, words in zip(found.copies, said_apart(found), strict=True)
        ],
    }
