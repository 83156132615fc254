"""Derived files, by what is proved of them."""

from collections import defaultdict
from collections.abc import Callable, Iterable, Sequence
from typing import NamedTuple, TypeVar

from foldkeep.find.derived import Batch, Caches, Regenerable
from foldkeep.model import visible
from foldkeep.model.grades import NOT_MEASURED
from foldkeep.model.units import format_moment, format_size

from ..page.documents import Document, path_document, problem_documents
from ..page.lines import write_rest
from ..page.page import CARE, GAIN, QUIET, STRONG, Page
from ..page.tables import Column
from ..page.words import agree, count, local_day, names_apart

_T = TypeVar("_T")
_Key = tuple[str, bytes, str]
_Groups = list[tuple[_Key, list[Regenerable]]]


class CachesAnswer(NamedTuple):
    """Answer of `caches`: derived files by what they are, project and version; before them what is not so sure."""

    found: Caches
    top: int | None
    docket: str | None

    def document(self) -> Document:
        """Return the JSON document."""
        found = self.found
        return {
            "command": "caches",
            "bytes": _size(found.found),
            "groups": [
                {
                    "what": what,
                    "project": path_document(project) if project else None,
                    "version": version,
                    "files": len(members),
                    "bytes": _size(members),
                    "used": format_moment(found.last_use.latest(members)),
                }
                for (what, project, version), members in _groups(found.found)
            ],
            "regenerable": [_document(each, found) for each in found.found],
            "likely": [_document(each, found) for each in found.likely],
            "perhaps": [_document(each, found) for each in found.perhaps],
            "source_gone": [_document(each, found) for each in found.last],
            "in_use": [{**_document(each, found), "reason": sign} for each, sign in found.in_use],
            "problems": problem_documents(found.problems),
            "docket": self.docket,
        }

    def write(self, page: Page) -> None:
        """Write it for people."""
        found, top = self.found, self.top
        if found.last:
            page.line(
                (
                    f"{count(len(found.last), 'file')} without a source, perhaps the last copy, ",
                    CARE,
                ),
                (format_size(_size(found.last)), STRONG),
            )
            with page.below(each.path for each in found.last[:top]):
                _listed(page, found.last, lambda each: _write_last(page, each), top)
        if found.in_use:
            size = format_size(sum(each.size for each, _ in found.in_use))
            page.line((f"{count(len(found.in_use), 'file')} in use, left alone, ", CARE), (size, STRONG))
            signs: dict[str, int] = defaultdict(int)
            for _, sign in found.in_use:
                signs[sign] += 1
            _listed(page, list(signs.items()), lambda each: _write_sign(page, *each), top)
        _write_unsure(
            page, found, found.perhaps, top, "may be anything",
            "named like caches, without proof. They are left alone unless you --trust the recipe.",
        )  # fmt: skip
        films = sum(each.missing == NOT_MEASURED for each in found.perhaps)
        if films:
            page.line(f"{count(films, 'proxy film')} {agree(films)} compared with the originals by --measure-films.")
            page.line()
        _write_unsure(
            page, found, found.likely, top, "{are} likely regenerable",
            "opaque cache files that no document mentions. A docket leaves them until you write fold.",
        )  # fmt: skip
        if not found.found:
            page.line("No regenerable files found that may go.")
        else:
            size = format_size(_size(found.found))
            page.line(
                (count(len(found.found), "file"), STRONG),
                f" {agree(len(found.found))} regenerable, ",
                (size, GAIN),
                ".",
            )
            _write_groups(page, found, found.found, top, GAIN)
        if self.docket:
            page.line(
                "The docket is ",
                (visible(self.docket), STRONG),
                ". Look at it, then: ",
                page.command(f"foldkeep fold {visible(self.docket)}"),
            )


class ExplainedCacheAnswer(NamedTuple):
    """Answer of `caches --explain`."""

    why: str

    def document(self) -> Document:
        """Return the JSON document."""
        return {"command": "caches", "explain": self.why}

    def write(self, page: Page) -> None:
        """Write it for people."""
        page.line(self.why)


def _listed(page: Page, found: Sequence[_T], write: Callable[[_T], None], top: int | None) -> None:
    for each in found[:top]:
        write(each)
    write_rest(page, len(found), top, indent=2)
    page.line()


def _write_last(page: Page, each: Regenerable) -> None:
    why = f"  {each.batch.what}, {each.batch.evidence}"
    page.line((f"{format_size(each.size):>8}  ", CARE), page.path(each.path), (why, QUIET), hang=10)


def _write_sign(page: Page, sign: str, files: int) -> None:
    page.line(visible(sign), (f"  {count(files, 'file')}", QUIET), indent=2)


def _write_unsure(
    page: Page, found: Caches, files: Sequence[Regenerable], top: int | None, what: str, why: str
) -> None:
    """Write files of which it is not proved that they can be made again, and what that means for them."""
    if files:
        what = what.format(are=agree(len(files)))
        page.line((f"{count(len(files), 'file')} {what}, ", CARE), (format_size(_size(files)), STRONG), f": {why}")
        _write_groups(page, found, files, top)
        page.line()


def _write_groups(page: Page, found: Caches, files: Sequence[Regenerable], top: int | None, style: str = "") -> None:
    groups = _groups(files)
    has_versions = any(version for (_, _, version), _ in groups)
    names = names_apart({project for (_, project, _), _ in groups if project})
    page.table(
        [
            Column("what", whole=True),
            *[Column("version", whole=True)] * has_versions,
            Column("files", True),
            Column("size", True, style),
            Column("last used", whole=True),
            Column("project"),
            Column("evidence", style=QUIET),
        ],
        [
            (
                what,
                *[version] * has_versions,
                f"{len(members):,}",
                format_size(_size(members)),
                local_day(found.last_use.latest(members)),
                names[project] if project else "",
                ", ".join(sorted({each.batch.evidence for each in members})),
            )
            for (what, project, version), members in groups[:top]
        ],
    )
    write_rest(page, len(groups), top)


def _groups(files: Iterable[Regenerable]) -> _Groups:
    """Return files by what they are, project and version, the largest group first."""
    batches: dict[Batch, list[Regenerable]] = defaultdict(list)
    for each in files:
        batches[each.batch].append(each)
    groups: dict[_Key, list[Regenerable]] = defaultdict(list)
    for batch, members in batches.items():
        groups[batch.what, batch.project or b"", batch.version] += members
    return sorted(groups.items(), key=lambda item: (-_size(item[1]), item[0]))


def _size(files: Iterable[Regenerable]) -> int:
    return sum(each.size for each in files)


def _document(each: Regenerable, found: Caches) -> Document:
    return {
        **path_document(each.path),
        "size": each.size,
        "modified": format_moment(each.modified_ns),
        "place": each.place.label,
        "used": format_moment(found.last_use.of(each)),
        "what": each.batch.what,
        "evidence": each.batch.evidence,
        "grade": str(each.grade),
        "missing": each.missing,
        "source": path_document(each.source) if each.source else None,
        "project": path_document(each.batch.project) if each.batch.project else None,
        "version": each.batch.version,
    }
