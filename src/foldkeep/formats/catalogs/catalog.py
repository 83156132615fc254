"""Which reader a catalogue needs, and reading it with any of them."""

import os
from collections import defaultdict
from collections.abc import Callable, Iterator

from foldkeep.model import UnusableInput, visible
from foldkeep.model.catalogs import CatalogEntry, CatalogSource
from foldkeep.model.companions import is_sidecar, owner_names, sidecar_stems
from foldkeep.model.work import reason_of

from ..documents.timelines import read_edl, read_otio
from ..reading import walked
from .jsons import read_json_catalog, read_json_lines
from .lists import read_list
from .playlists import read_m3u, read_pls, read_xspf
from .queries import read_query
from .tables import read_table_catalog

_FORM_OF_SUFFIX = {
    "txt": "list", "lst": "list", "csv": "csv", "tsv": "csv", "json": "json", "jsonl": "jsonl", "ndjson": "jsonl",
    "m3u": "m3u", "m3u8": "m3u", "pls": "pls", "xspf": "xspf", "otio": "otio", "otioz": "otio", "otiod": "otio",
    "edl": "edl", "db": "sqlite", "sqlite": "sqlite", "sqlite3": "sqlite",
}  # fmt: skip
FORMS = ("list", "csv", "json", "jsonl", "m3u", "pls", "xspf", "otio", "edl", "sqlite", "xmp")


def catalog_source(text: str, field: str = "", query: str = "") -> CatalogSource:
    """Return what a source means as the user writes it: ``FILE``, or ``FORM:FILE`` where the suffix does not tell.

    Raises UnusableInput if nobody can tell its form.
    """
    form, _, rest = text.partition(":")
    if form in FORMS and rest:
        return CatalogSource(os.path.abspath(rest), form, field, query)
    path = os.path.abspath(text)
    if os.path.isdir(path) and not path.endswith(".otiod"):
        return CatalogSource(path, "xmp", field, query)
    suffix = os.path.splitext(path)[1][1:].lower()
    if query:
        return CatalogSource(path, "sqlite", field, query)
    if suffix not in _FORM_OF_SUFFIX:
        raise UnusableInput(
            f"the suffix of {visible(text)} does not tell what it is", f"write FORM:FILE; forms are {', '.join(FORMS)}"
        )
    return CatalogSource(path, _FORM_OF_SUFFIX[suffix], field, query)


def read_catalog(source: CatalogSource) -> Iterator[CatalogEntry]:
    """Yield what a catalogue names; it is only read.

    Raises UnusableInput if it cannot be read or makes no sense.
    """
    readers: dict[str, Callable[[], Iterator[CatalogEntry]]] = {
        "list": lambda: read_list(source.path),
        "csv": lambda: read_table_catalog(source.path, source.field),
        "json": lambda: read_json_catalog(source.path, source.field),
        "jsonl": lambda: read_json_lines(source.path, source.field),
        "m3u": lambda: read_m3u(source.path),
        "pls": lambda: read_pls(source.path),
        "xspf": lambda: read_xspf(source.path),
        "otio": lambda: read_otio(source.path),
        "edl": lambda: read_edl(source.path),
        "sqlite": lambda: read_query(source.path, source.query, source.field),
        "xmp": lambda: read_sidecar_tree(source.path),
    }
    try:
        yield from map(_sound, readers[source.form]())
    except OSError as error:
        raise UnusableInput(
            f"cannot read the catalogue {visible(source.path)}: {reason_of(error)}", "name one that is there"
        ) from error
    except ValueError as error:
        raise UnusableInput(
            f"cannot use the catalogue {visible(source.path)}: {visible(str(error))}", "mend that, or name another"
        ) from error


def _sound(entry: CatalogEntry) -> CatalogEntry:
    """Return an entry whose text can be a path: JSON may hold halves of characters that no encoding has."""
    if entry.text.isascii():  # nearly always
        return entry
    try:
        entry.text.encode("utf-8", "surrogateescape")
    except UnicodeEncodeError:
        return entry._replace(text=entry.text.encode("utf-8", "replace").decode())
    return entry


def read_sidecar_tree(path: str) -> Iterator[CatalogEntry]:
    """Yield the files below a folder that have an XMP sidecar beside them; where the file is gone, its stem."""
    if not os.path.isdir(path):
        raise NotADirectoryError(20, "not a folder")
    for folder, names in walked(os.fsencode(path)):
        owners: dict[bytes, list[bytes]] = defaultdict(list)
        for name in names:
            for owner in owner_names(name) if not is_sidecar(name) else ():
                owners[owner].append(name)
        for name in names:
            if not name.lower().endswith(b".xmp"):
                continue
            stems = sidecar_stems(name)
            for master in [master for stem in stems for master in owners.get(stem, ())] or [stems[0]]:
                yield CatalogEntry(os.fsdecode(os.path.join(folder, master)), f"sidecar {visible(name)}")
