"""What a corrected copy of a catalogue has: paths that are there, and nothing that is gone."""

import os

from foldkeep.model.catalogs import CatalogEntry, CatalogSource
from foldkeep.model.names import file_uri, path_from_uri

from .orphan_files import Orphans


def mended(found: Orphans, source: CatalogSource, *, one_entry: bool = False) -> dict[str, str | None]:
    """Return for entries of a catalogue's one source, by where they are, the path that they get; None drops one.

    A missing file is mended where the same content lies elsewhere; a name alone is no proof. Entries that are right
    are not in the answer. An entry whose file is there has a rating and words of its own, so it stays.

    Parameters
    ----------
    one_entry
        Leave each content one entry, the first, whatever the others say.
    """
    base = os.path.dirname(os.fsencode(source.path))
    answer: dict[str, str | None] = {}
    for path, entries in found.known.files.items():
        for number, entry in enumerate(entries):
            if number and one_entry:
                answer[entry.where] = None
            elif not entry.by_name and (text := _in_style(entry, path, base)) != entry.text:
                answer[entry.where] = text
    for each in found.twice if one_entry else ():
        for file in each.files[1:]:
            answer |= dict.fromkeys(entry.where for entry in found.known.files[file.path])
    taken = set(found.known.files)
    for missing in found.missing:
        now = missing.now if missing.by_content and not (one_entry and missing.now in taken) else None
        answer[missing.entry.where] = _in_style(missing.entry, now, base) if now else None
        taken.add(now or b"")
    return answer


def _in_style(entry: CatalogEntry, path: bytes, base: bytes) -> str:
    """Return a path as an entry writes its own: as a URI, relative to the catalogue, or absolute."""
    if entry.text[:5].lower() == "file:":
        try:
            return entry.text if path_from_uri(entry.text) == path else file_uri(path)
        except ValueError:
            return file_uri(path)
    written = os.fsencode(entry.text)
    if os.path.normpath(os.path.join(base, written)) == path:
        return entry.text
    is_relative = not written.startswith(b"/") and entry.text[1:3] not in (":\\", ":/")
    return os.fsdecode(os.path.relpath(path, base) if is_relative else path)
