"""Dockets of files that a person picked by filters: there is no keeper, each goes for itself."""

from collections.abc import Iterable, Iterator, Mapping

from blake3 import blake3

from foldkeep.model import Action, DocketRow, StockFile


def name_of(path: bytes) -> str:
    """Return a name for the set of one file that was picked for itself."""
    return "f" + blake3(path).hexdigest()[:16]


def listed_rows(
    files: Iterable[StockFile], reason: str, damage: Mapping[bytes, str] | None = None
) -> Iterator[DocketRow]:
    """Yield a docket row for each file; each is a set of its own, of which nothing stays.

    Where `damage` has what is wrong with contents, that is the reason.
    """
    for file in files:
        why = reason if damage is None else file.damage(damage)
        yield DocketRow(
            name_of(file.path), Action.FOLD, file.path, file.size, file.kind, file.modified_ns, file.digest, why
        )
