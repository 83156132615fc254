"""Files that decode to the same: one recording in two formats, one scan, one film in two containers."""

from collections.abc import Iterator, Mapping
from typing import Any

from blake3 import blake3

from foldkeep.signals import MediaReader
from foldkeep.signals.decoded import DECODED, Finding
from foldkeep.signals.essences import ESSENCE
from foldkeep.stock import Stock

from .content_sets import Question
from .media_sets import AgreeingFiles, MediaSet, Same, media_sets
from .place_groups import PlaceGroups


def same_decoded(stock: Stock, reader: MediaReader, question: Question, name: str = "") -> list[MediaSet]:
    """Return the sets of files that decode to the same, as `media_sets`; what was not decoded takes no part.

    Sets of which all contents are known to have one essence are left out: they can be rebuilt from one another.
    """
    return media_sets(_agreements(stock), PlaceGroups(stock, across=question.across), reader, question, name)


def _agreements(stock: Stock) -> Iterator[AgreeingFiles]:
    for digest, known, files in stock.signals.agreeing(DECODED.name, DECODED.version, "digest"):
        findings = {content: Finding.from_known(values) for content, values in known.items()}
        agreed = bytes.fromhex(digest)
        for number, group in enumerate(_groups(findings)):
            if len(group) > 1 and not _have_one_essence(stock, group):
                of_group = [file for file in files if file.digest in group]
                words = {content: (finding.more, 0) for content, finding in group.items()}
                first = next(iter(group.values()))
                if number:  # what is shown at other moments is another set, and has another name
                    agreed = blake3(bytes.fromhex(digest) + first.moments.encode()).digest()
                yield AgreeingFiles(Same.DECODED, agreed, first.what, of_group, words)


def _groups(findings: Mapping[bytes, Finding]) -> list[dict[bytes, Finding]]:
    """Return findings of one digest by the moments that they tell, each within rounding of the first of its group."""
    groups: list[dict[bytes, Finding]] = []
    for content, finding in findings.items():
        fitting = (group for group in groups if finding.agrees(next(iter(group.values()))))
        group = next(fitting, None)
        if group is None:
            groups.append({content: finding})
        else:
            group[content] = finding
    return groups


def _have_one_essence(stock: Stock, contents: Mapping[bytes, Any]) -> bool:
    known = [stock.signals.of(content, ESSENCE.name, ESSENCE.version) for content in contents]
    essences = {signal.values.get("essence") if signal else None for signal in known}
    return len(essences) == 1 and None not in essences
