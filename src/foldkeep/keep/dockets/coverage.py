"""Dockets of what is not where it should be: a copy of each missing content, and why."""

from collections.abc import Iterable, Iterator

from blake3 import blake3

from foldkeep.find.coverage import CardAnswer, CardCoverage, Whereabouts
from foldkeep.model import Action, DocketRow, visible


def card_rows(found: CardCoverage) -> Iterator[DocketRow]:
    """Yield docket rows for a folder: what is missing elsewhere is to be copied, each content once."""
    seen: dict[bytes, bytes] = {}
    for answer in found.missing:
        digest, path = answer.sought.digest, answer.sought.file.path
        if not digest:
            yield _card_row(answer, Action.LEAVE, answer.sought.problem)
        elif digest in seen:
            yield _card_row(answer, Action.LEAVE, f"the same content as {visible(seen[digest])}")
        else:
            seen[digest] = path
            yield _card_row(answer, Action.COPY, missing_reason(found, answer))
    for answer in found.covered:
        paths = answer.sought.found or answer.known
        read = "read there now" if answer.sought.found else "as the stock remembers"
        yield _card_row(answer, Action.LEAVE, f"also {visible(paths[0])}, {read}")


def _card_row(answer: CardAnswer, action: Action, reason: str) -> DocketRow:
    file, digest = answer.sought.file, answer.sought.digest
    return DocketRow(
        _set(digest, file.path), action, file.path, file.size, file.kind, file.modified_ns, digest or None, reason
    )


def missing_reason(found: CardCoverage, answer: CardAnswer) -> str:
    """Return why a file of a folder is missing elsewhere, in words."""
    if answer.sought.problem:
        return answer.sought.problem
    if answer.sought.found:
        return f"on {len(answer.sought.found)} other disk of {found.enough}: {visible(answer.sought.found[0])}"
    if answer.sought.unreadable:
        return f"{visible(answer.sought.unreadable)} may have its content, and cannot be read"
    if changed := next((path for path in answer.known if path in answer.sought.differing), b""):
        return f"{visible(changed)} had its content once; now it has another"
    apart = answer.apart
    if answer.unsure and not apart.same_disk:
        return f"perhaps at {visible(answer.unsure.path)}, whose disk does not count: {answer.unsure.why}"
    where = [f"in the fold of run {number}" for number in apart.runs]
    where += [f"in a bin: {visible(path)}" for path in apart.bins]
    where += [f"in {visible(label)}, which is away" for label in apart.away]
    where += [f"in {visible(label)}, which a program may keep like a place here" for label in apart.mirrored]
    where += [f"in the package {visible(each.package)}" for each in apart.packages]
    where += [f"in the inventory {visible(each.inventory)}: {each.label}" for each in apart.inventories]
    where += ["on its own disk"] * apart.same_disk
    if where:
        return f"only {'; '.join(where)}"
    if found.is_trusted and answer.unread:
        return f"not known to be elsewhere; {visible(answer.unread)} has its size and was never read whole"
    below = answer.sought.file.path[len(found.card.path) :].split(b"/")
    is_hidden = any(step.startswith(b".") for step in below)
    return "nowhere else that is known" + "; hidden names are known where scan --hidden looked" * is_hidden


def coverage_rows(listed: Iterable[Whereabouts]) -> Iterator[DocketRow]:
    """Yield docket rows for contents that lie on too few disks: one of the files of each is to be copied."""
    for each in listed:
        for number, file in enumerate(each.files):
            labels, on = visible(", ".join(each.labels)), each.content.disks
            where = f"on {on} disk{'s' * (on > 1)} only" if on else "not where it should be"
            reason = f"{where}; lies in {labels}" if not number else "the same content"
            yield DocketRow(
                _set(file.digest, file.path), Action.LEAVE if number else Action.COPY, file.path, file.size, file.kind,
                file.modified_ns, file.digest, reason,
            )  # fmt: skip


def _set(digest: bytes | None, path: bytes) -> str:
    """Return the name of a content's set: by what it is, or by its path where nobody has read it."""
    return "c" + (digest or blake3(path).digest()).hex()[:16]
