"""Places that are no working ones: nothing goes from a backup or an archive unless its role is asked for."""

from collections.abc import Collection, Iterable, Iterator, Sequence

from foldkeep.model import Action, DocketRow, Place, Role
from foldkeep.model.names import innermost


def left_alone(role: Role, asked: Collection[Role]) -> str:
    """Return why nothing goes from places of a role; empty if it may."""
    if role is Role.WORKING or role in asked:
        return ""
    article = "an" if role is Role.ARCHIVE else "a"
    return f"in {article} {role}, which is left alone; --role {role} asks for it"


def leaving_aside(rows: Iterable[DocketRow], places: Sequence[Place], asked: Collection[Role]) -> Iterator[DocketRow]:
    """Yield docket rows, those left that would take a file from a backup or an archive."""
    reasons = {place.path: left_alone(place.role, asked) for place in places}
    is_needed = any(reasons.values())
    for row in rows:
        why = reasons.get(innermost(reasons, row.path) or b"", "") if is_needed and row.action is Action.FOLD else ""
        yield row._replace(action=Action.LEAVE, reason=why) if why else row
