"""Dockets of projects to archive."""

from collections.abc import Iterator, Sequence

from foldkeep.find.projects import Activity, Project
from foldkeep.model import Action, DocketRow
from foldkeep.model.units import format_moment

from .listed import name_of

PROJECT_FOLDER = "project folder"
"""The kind of a row that means a whole project."""


def project_rows(found: Sequence[Project]) -> Iterator[DocketRow]:
    """Yield a docket row for each quiet project: ``keep`` archives it, ``fold`` folds the original then, too.

    A project whose media another one uses is left.
    """
    for project in found:
        if project.activity is not Activity.QUIET:
            continue
        action = Action.KEEP
        reason = f"nothing changed since {format_moment(project.active_ns)[:10]}"
        if project.used_by:
            action, reason = Action.LEAVE, f"{reason}, but another project uses its media"
        yield DocketRow(
            name_of(project.path), action, project.path, project.total, PROJECT_FOLDER, project.active_ns, None, reason
        )
