"""From sets with one essence to rows of a docket: what says most stays, and so does what looks otherwise."""

import os
from collections import Counter, defaultdict
from collections.abc import Iterable, Iterator, Sequence
from typing import NamedTuple

from foldkeep.find.catalogs import uses
from foldkeep.find.copies import WRITTEN, MediaCopy, MediaSet, written
from foldkeep.find.references import ProjectFolders
from foldkeep.model import Action, CopySet, DocketRow, Facts, Progress, no_progress, visible
from foldkeep.model.catalogs import Catalog
from foldkeep.model.files import freed_files
from foldkeep.scan import Presence, presences
from foldkeep.stock import Stock

from .choose import Chooser
from .in_use import InUse, uses_of_copies
from .keep_options import Wishes
from .proposal import Proposal
from .rules import Rule, each

_LONGEST = 80  # of what is said of a fact in a docket


class _Part(NamedTuple):
    """Copies of a set that look the same whatever program shows them, as one set of which some may go."""

    copies: Sequence[MediaCopy]
    files: CopySet


def propose_essences(
    stock: Stock,
    sets: Iterable[MediaSet],
    wishes: Wishes,
    projects: ProjectFolders | None,
    catalogs: Iterable[Catalog],
    proposal: Proposal,
    progress: Progress = no_progress,
) -> Iterator[DocketRow]:
    """Yield docket rows for sets of files with one essence, the keepers of each first, and count them into `proposal`.

    Parameters are those of `propose_for`.
    """
    parts = [part for found in sets for part in _parts(found)]
    away = {place for place, now in presences(stock).items() if now is not Presence.HERE}
    paths = (copy.file.path for part in parts for copy in part.copies)
    in_use = InUse() if projects is None else uses_of_copies(stock, projects, paths, progress)
    proposal.problems += [each for each in in_use.problems if each not in proposal.problems]
    chooser = Chooser(stock, wishes, away, in_use.with_users(uses(stock, catalogs)), in_use.there)
    chooser.learn(part.files for part in parts)
    told = _told_in_folders(parts)
    for part in parts:
        if not chooser.is_asked_for(part.files):
            continue
        yield from _rows(part, chooser, proposal, told[_folders(part)])


def _parts(found: MediaSet) -> Iterator[_Part]:
    """Yield the copies of a set by how they look or sound: words that turn or colour a picture tell them apart."""
    by_look: dict[tuple[tuple[str, str], ...], list[MediaCopy]] = defaultdict(list)
    for copy in found.copies:
        by_look[tuple(sorted(copy.more.items()))].append(copy)
    for number, (_, copies) in enumerate(sorted(by_look.items()), start=1):
        name = found.id if number == 1 else f"{found.id}-{number}"
        files = tuple(copy.file for copy in copies)
        yield _Part(copies, CopySet(name, found.agreed, files, 0, found.backed_up))


def _told_in_folders(parts: Iterable[_Part]) -> dict[tuple[bytes, ...], Counter[bytes]]:
    """Return how much is written in what folders share, for each group of folders that do: an album, or a shoot, stays
    together, and one word more in one of its files is no reason to tear it.
    """
    told: dict[tuple[bytes, ...], Counter[bytes]] = defaultdict(Counter)
    for part in parts:
        most: Counter[bytes] = Counter()
        for copy in part.copies:
            folder = os.path.dirname(copy.file.path)
            most[folder] = max(most[folder], written(copy.says))
        told[_folders(part)].update(most)
    return told


def _folders(part: _Part) -> tuple[bytes, ...]:
    return tuple(sorted({os.path.dirname(copy.file.path) for copy in part.copies}))


def _rows(part: _Part, chooser: Chooser, proposal: Proposal, told: Counter[bytes]) -> Iterator[DocketRow]:
    words = {copy.file.path: written(copy.says) for copy in part.copies}
    by_folder = Rule(
        "", each(lambda copy: -told[os.path.dirname(copy.path)]), "more is written in the files of its folder",
        "less is written in the files of its folder",
    )  # fmt: skip
    first = Rule("", each(lambda copy: -words[copy.path]), "most is written in it", "less is written in it")
    choice = chooser.choose(part.files, first=[by_folder, first])
    rests = {copy.file.path: copy.rest for copy in part.copies}
    folded = [verdict.copy for verdict in choice.verdicts if verdict.action is Action.FOLD]
    kept = {verdict.copy.digest for verdict in choice.verdicts if verdict.action is Action.KEEP}
    freed = {copy.identity: copy for copy in folded if copy.identity in freed_files(folded)}
    reclaimable = sum(copy.size - (0 if copy.digest in kept else rests[copy.path]) for copy in freed.values())
    proposal.count(choice, len(folded), reclaimable)
    proposal.count_held(choice, folded)
    said = _said_apart(part.copies)
    for verdict in choice.verdicts:
        copy = verdict.copy
        reason = "; ".join(filter(None, (verdict.reason, said[copy.path])))
        if verdict.action is Action.FOLD and copy.digest not in kept:
            reason += "; the keeper shows or sounds the same under other words"
        yield DocketRow(
            part.files.id, verdict.action, copy.path, copy.size, copy.kind, copy.modified_ns, copy.digest, reason
        )


def _said_apart(copies: Sequence[MediaCopy]) -> dict[bytes, str]:
    """Return what is written in each copy, by path, where not the same is written in all of them."""
    said = {copy.file.path: _words_of(copy.says) for copy in copies}
    apart = [name for name in (*WRITTEN, "keywords") if len({words.get(name) for words in said.values()}) > 1]
    return {
        path: ", ".join(f"{name} {words[name]}" if name in words else f"no {name}" for name in apart)
        for path, words in said.items()
    }


def _words_of(says: Facts) -> dict[str, str]:
    values = {name: getattr(says, name) for name in WRITTEN}
    values["rating"] = None if says.rating is None else f"{says.rating:g}"
    values["keywords"] = " and ".join(says.keywords) or None
    return {name: visible(text)[:_LONGEST] for name, value in values.items() if (text := str(value or ""))}
