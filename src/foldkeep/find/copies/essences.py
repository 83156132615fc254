"""Files with one essence: the same picture or sound, but other words about it."""

from collections.abc import Iterator

from foldkeep.signals import MediaReader
from foldkeep.signals.essences import ESSENCE
from foldkeep.stock import Stock

from .content_sets import Question
from .media_sets import AgreeingFiles, MediaSet, Same, media_sets
from .place_groups import PlaceGroups


def same_essences(stock: Stock, reader: MediaReader, question: Question, name: str = "") -> list[MediaSet]:
    """Return the sets of files with one essence, as `media_sets`; what was not asked for its essence takes no part."""
    return media_sets(_agreements(stock), PlaceGroups(stock, across=question.across), reader, question, name)


def _agreements(stock: Stock) -> Iterator[AgreeingFiles]:
    for essence, known, files in stock.signals.agreeing(ESSENCE.name, ESSENCE.version, "essence"):
        words = {digest: (said["shown"], said["rest"]) for digest, said in known.items()}
        kind = next(iter(known.values()))["kind"]
        yield AgreeingFiles(Same.ESSENCE, bytes.fromhex(essence), kind, files, words)
