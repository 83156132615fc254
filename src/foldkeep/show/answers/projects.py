"""Projects, and what was archived of them."""

import os
from collections.abc import Mapping, Sequence
from typing import NamedTuple

from foldkeep.find.projects import PARTS, Activity, Project
from foldkeep.model import visible
from foldkeep.model.units import format_moment, format_size
from foldkeep.stock import Archived, ArchivedFile

from ..page.documents import Document, path_document, problem_documents
from ..page.lines import write_rest
from ..page.page import GAIN, QUIET, STRONG, Page
from ..page.tables import Column
from ..page.words import count, local_day, names_apart


class ProjectsAnswer(NamedTuple):
    """Answer of `projects`: what they are made of, and what they use of each other."""

    found: Sequence[Project]
    top: int | None
    docket: str | None
    drawn: str | None

    def document(self) -> Document:
        """Return the JSON document."""
        return {
            "command": "projects",
            "projects": list(map(_project_document, self.found)),
            "docket": self.docket,
            "drawn": self.drawn,
        }

    def write(self, page: Page) -> None:
        """Write it for people."""
        found, top = self.found, self.top
        if not found:
            page.line("No project was found. --project-marker and --inside tell what makes one.")
            return
        quiet = [project for project in found if project.activity is Activity.QUIET]
        page.line(
            (count(len(found), "project"), STRONG),
            f", {format_size(sum(project.total for project in found))}; {len(quiet):,} quiet, ",
            (format_size(sum(project.total for project in quiet)), GAIN),
            ".",
        )
        names = names_apart(project.path for project in found)
        page.table(
            [
                Column("project", style=STRONG),
                Column("state", whole=True),
                Column("changed", whole=True),
                Column("size", True, STRONG),
                *(Column(part, True, spare=number) for number, part in enumerate(PARTS, start=1)),
            ],
            [
                (
                    names[project.path],
                    str(project.activity),
                    local_day(project.active_ns) if project.active_ns else "",
                    format_size(project.total),
                    *(format_size(project.sizes[part]) if project.files[part] else "" for part in PARTS),
                )
                for project in found[:top]
            ],
        )
        write_rest(page, len(found), top)
        _write_use(page, found[:top], names)
        if self.docket:
            page.line("The docket is ", (visible(self.docket), STRONG), ". Look at it, then:")
            page.line(page.command(f"foldkeep archive --docket {visible(self.docket)} --to DIR"), indent=2)
        if self.drawn:
            page.line(f"Drawn: {self.drawn}")


class ArchivedAnswer(NamedTuple):
    """Answer of `projects --archived`, with files in packages where they are asked for."""

    archives: Sequence[Archived]
    files: Mapping[int, Sequence[ArchivedFile]]

    def document(self) -> Document:
        """Return the JSON document."""
        return {"command": "projects", "archived": self._archived()}

    def write(self, page: Page) -> None:
        """Write it for people."""
        if not self.archives:
            page.line("No package is known that fits. Make one: foldkeep archive PROJECT --to DIR")
            return
        page.table(
            [
                Column("project", style=STRONG),
                Column("archived", whole=True),
                Column("checked", whole=True),
                Column("size", True),
                Column("left out", True),
                Column("package", path=True),
            ],
            [
                (
                    visible(os.path.basename(each.project)),
                    local_day(each.made_ns),
                    local_day(each.checked_ns),
                    format_size(each.bytes),
                    format_size(each.left_out) if each.left_out else "",
                    visible(each.package) + ("" if _is_there(each) else "  (away)"),
                )
                for each in self.archives
            ],
        )
        for each in self.archives:
            for file in self.files.get(each.id, ()):
                page.line(visible(file.path), (f"  {format_size(file.size)}", QUIET), indent=2)

    def _archived(self) -> list[Document]:
        return [
            {
                "package": path_document(each.package),
                "project": path_document(each.project),
                "key": each.key,
                "made": format_moment(each.made_ns),
                "checked": format_moment(each.checked_ns),
                "bytes": each.bytes,
                "left_out": each.left_out,
                "is_there": _is_there(each),
                "files": [
                    {**path_document(file.path), "size": file.size, "modified": format_moment(file.modified_ns)}
                    for file in self.files.get(each.id, ())
                ],
            }
            for each in self.archives
        ]


def _write_use(page: Page, found: Sequence[Project], names: Mapping[bytes, str]) -> None:
    for project in found:
        if project.outside:
            page.line(
                (names[project.path], STRONG),
                f" uses {count(len(project.outside), 'file')} from elsewhere, "
                f"{format_size(sum(project.outside.values()))}.",
            )
        for user, files in project.used_by.items():
            page.line(
                (names.get(user, visible(user)), STRONG),
                f" uses {count(len(files), 'file')} of {names[project.path]}: archive them together, or keep it.",
            )


def _project_document(project: Project) -> Document:
    return {
        **path_document(project.path),
        "state": str(project.activity),
        "changed": format_moment(project.active_ns) if project.active_ns else None,
        "bytes": project.total,
        "parts": {part: {"files": project.files[part], "bytes": project.sizes[part]} for part in PARTS},
        "documents": [path_document(path) for path in project.documents],
        "outside": [{**path_document(path), "size": size} for path, size in sorted(project.outside.items())],
        "used_by": [{**path_document(path), "files": len(files)} for path, files in project.used_by.items()],
        "package": path_document(project.archive.package) if project.archive else None,
        "problems": problem_documents(project.problems),
    }


def _is_there(archive: Archived) -> bool:
    return not archive.is_displaced and os.path.lexists(archive.package)
