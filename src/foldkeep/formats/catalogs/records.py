"""Records of named values, as tables and JSON have them: which value is the path, and what else is told of a file."""

from collections import Counter
from collections.abc import Iterable, Mapping, Sequence
from functools import lru_cache
from itertools import islice
from operator import itemgetter

from foldkeep.model.catalogs import CatalogEntry
from foldkeep.model.kinds import OTHER, kind_of

from ..sidecars.xmp import bounded_number

LOOKED_AT = 200
"""How many records tell which of their values is the path."""
# What is told of a file under which names; of several that mean one thing the first one counts.
_MEANINGS = {
    "keywords": "keywords",
    "tags": "keywords",
    "subject": "keywords",
    "rating": "rating",
    "stars": "rating",
    "title": "title",
    "headline": "title",
    "description": "description",
    "caption": "description",
}
_RANKS = {alias: rank for rank, alias in enumerate(_MEANINGS)}
_MEANT = tuple(_MEANINGS.values())
_first = itemgetter(0)


def looks_like_a_path(text: str) -> bool:
    """Tell whether a text may well be the path of a file: it has steps, or a suffix that is known."""
    name = text.replace("\\", "/").rpartition("/")[2]
    return bool(name) and ("/" in text or "\\" in text or kind_of(name.encode("utf-8", "surrogateescape")) != OTHER)


def path_field(records: Iterable[Mapping[str, object]]) -> str:
    """Return the name of the value that looks like a path in most records; raise ValueError if none does."""
    found: Counter[str] = Counter()
    records = list(islice(records, LOOKED_AT))
    for record in records:
        for name, value in record.items():
            if isinstance(value, str) and looks_like_a_path(value):
                # Of two, the one with folders tells more than a bare name.
                found[name] += 2 if "/" in value or "\\" in value else 1
    if not found:
        raise ValueError("no column or key of it looks like a path; name it with --field")
    return found.most_common(1)[0][0]


def entry_of(text: str, where: str, record: Mapping[str, object]) -> CatalogEntry:
    """Return an entry with what its record says of the file under the usual names."""
    told = [(rank, value) for name, value in record.items() if value and (rank := _rank(name)) is not None]
    if not told:
        return CatalogEntry(text, where)
    values: dict[str, object] = {}
    for rank, value in sorted(told, key=_first) if len(told) > 1 else told:
        values.setdefault(_MEANT[rank], value)
    return CatalogEntry(
        text,
        where,
        keywords=_keywords(values.get("keywords")),
        rating=_number(values.get("rating")),
        title=_text(values.get("title")),
        description=_text(values.get("description")),
    )


@lru_cache(1024)
def _rank(name: str) -> int | None:
    """Return where the name of a value stands among those that are known; None if it does not."""
    return _RANKS.get(name.strip().lower())


def _keywords(value: object) -> tuple[str, ...]:
    if isinstance(value, str):
        value = value.split(max(";|,", key=value.count))
    if not isinstance(value, Sequence):
        return ()
    return tuple(dict.fromkeys(word.strip() for word in value if isinstance(word, str) and word.strip()))


def _number(value: object) -> float | None:
    return bounded_number(value) if isinstance(value, int | float | str) else None


def _text(value: object) -> str | None:
    return value.strip() or None if isinstance(value, str) else None
