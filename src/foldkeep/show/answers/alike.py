"""Groups of pictures, films and sounds that are alike."""

from collections.abc import Iterator, Sequence
from typing import NamedTuple

from foldkeep.find.likeness import Group, Member, What
from foldkeep.model import visible
from foldkeep.model.units import format_size

from ..page.documents import Document, file_document
from ..page.lines import NOTHING_FITS, write_rest
from ..page.page import CARE, GAIN, QUIET, STRONG, Page
from ..page.words import count

ALIKE_COLUMNS = ("group", "what", "strength", "likely_original", "path", "size", "like", "why", "differs")
"""Columns of the table that `alike --csv` writes."""

_NOTHING = "No pictures, films or sounds are alike but those of one content."
_TITLES = {
    What.VERSIONS: "versions of one picture",
    What.MOMENT: "one moment",
    What.CROP: "a picture and crops of it",
    What.RECORDING: "one recording",
    What.FILM: "versions of one film",
}


class AlikeAnswer(NamedTuple):
    """Answer of `alike`.

    Attributes
    ----------
    plain
        How many contents have no print, since nothing would tell them apart.
    unseen
        How many files elsewhere were never looked at, and took no part.
    """

    groups: Sequence[Group]
    top: int | None
    docket: str | None
    plain: int
    nothing_fits: bool = False
    unseen: int = 0

    def document(self) -> Document:
        """Return the JSON document."""
        return {
            "command": "alike",
            "groups": [
                {
                    "id": group.id,
                    "what": str(group.what),
                    "strength": group.strength,
                    "members": [
                        {
                            **file_document(member.content.file),
                            "copies": len(member.content.files),
                            "likely_original": member.likely_original,
                            "why": member.why,
                            "differs": list(member.differs),
                            "like": None if member.pair is None else round(member.pair.like, 3),
                        }
                        for member in group.members
                    ],
                }
                for group in self.groups
            ],
            "without_print": self.plain,
            "not_compared": self.unseen,
            **({"docket": self.docket} if self.docket else {}),
        }

    def write(self, page: Page) -> None:
        """Write it for people."""
        if not self.groups:
            page.line(NOTHING_FITS if self.nothing_fits else _NOTHING)
        shown = self.groups[: self.top]
        with page.below(member.content.files[0].path for group in shown for member in group.members):
            for group in shown:
                _write_group(page, group)
        if self.groups:
            write_rest(page, len(self.groups), self.top, "group")
            page.line((count(len(self.groups), "group"), STRONG), "; likeness only suggests: nothing goes by itself.")
        if self.unseen:
            page.line(
                (f"Not compared: {count(self.unseen, 'file')} elsewhere, never looked at yet", CARE),
                " (--against DIR, or foldkeep alike for all).",
            )
        if self.docket:
            docket = visible(self.docket)
            look, decide = (page.command(f"foldkeep {word} {docket}") for word in ("sheet", "review"))
            page.line(
                "The docket is ",
                (docket, STRONG),
                ". Look and decide with: ",
                look,
                " or ",
                decide,
            )


def _write_group(page: Page, group: Group) -> None:
    size = format_size(sum(member.content.file.size for member in group.members))
    page.line(
        (_TITLES[group.what], STRONG),
        f", {count(len(group.members), 'file')}, {size}, ",
        (group.strength, GAIN if group.is_strong else CARE),
        (f"  {group.id}", QUIET),
    )
    for member in group.members:
        _write_member(page, member)


def _write_member(page: Page, member: Member) -> None:
    files = member.content.files
    more = f"  (and {count(len(files) - 1, 'copy', 'copies')})" if len(files) > 1 else ""
    page.line(page.path(files[0].path), (more, QUIET), indent=2)
    words = [*(["likely the original"] if member.likely_original else []), *([member.why] if member.why else [])]
    like = [] if member.pair is None else [f"{member.pair.like:.0%} alike"]
    said = "; ".join((*words, *like, *member.differs))
    if said:
        page.line((said, QUIET), indent=4)


def alike_rows_of_table(groups: Sequence[Group]) -> Iterator[tuple[str, ...]]:
    """Yield the rows of the table, a content each."""
    for group in groups:
        for member in group.members:
            like = "" if member.pair is None else f"{member.pair.like:.3f}"
            file = member.content.file
            yield (
                group.id, str(group.what), group.strength, "yes" if member.likely_original else "no",
                visible(file.path), str(file.size), like, member.why, "; ".join(member.differs),
            )  # fmt: skip
