"""Dockets of pictures and sounds that are alike: a suggestion each, and nothing that goes by itself."""

from collections.abc import Iterable, Iterator

from foldkeep.find.likeness import Group, Member, What
from foldkeep.model import Action, DocketRow

_WHATS = {
    What.VERSIONS: "a version of it",
    What.MOMENT: "of the same moment",
    What.CROP: "a crop of it",
    What.RECORDING: "the same recording",
}


def alike_rows(groups: Iterable[Group]) -> Iterator[DocketRow]:
    """Yield docket rows for groups; each file is left, with what is suggested as its reason.

    Of copies with one content the group has one: `keep` proposes which of them stays.
    """
    for group in groups:
        for member in group.members:
            file = member.content.file
            yield DocketRow(
                group.id, Action.LEAVE, file.path, file.size, file.kind, file.modified_ns, file.digest,
                _suggestion(group, member),
            )  # fmt: skip


def _suggestion(group: Group, member: Member) -> str:
    if member.likely_original:
        return f"suggested keeper: {member.why}"
    words = [member.why or ("one of a moment" if member.pair is None else _WHATS[group.what]), *member.differs]
    return f"{'; '.join(words)} ({group.strength})"
