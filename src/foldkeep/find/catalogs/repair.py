"""What a corrected copy of a catalogue has: the paths of files that were moved; entries without a file as they are."""

import os
from typing import NamedTuple

from foldkeep.model.catalogs import CatalogEntry, CatalogSource
from foldkeep.model.names import file_uri, path_from_uri

from .orphan_files import Orphans


class Mending(NamedTuple):
    """What changes in a corrected copy.

    Attributes
    ----------
    paths
        For entries, by where they are, the path that they get; None drops one. All others stay as they are.
    perhaps
        Entries that get the path of the one file of their name: that it is the one, nothing proves.
    stay
        How many entries without a file stay as they are.
    """

    paths: dict[str, str | None]
    perhaps: frozenset[str] = frozenset()
    stay: int = 0

    @property
    def moved(self) -> int:
        """How many entries get another path."""
        return sum(path is not None for path in self.paths.values())

    @property
    def dropped(self) -> int:
        """How many entries are left out."""
        return len(self.paths) - self.moved


def mended(found: Orphans, source: CatalogSource, *, one_entry: bool = False, drop_missing: bool = False) -> Mending:
    """Return what changes in a corrected copy of a catalogue's one source.

    An entry gets the path where the same content lies now, or else that of the one file of its name. Each entry has a
    rating and words of its own, so it stays, also without a file.

    Parameters
    ----------
    one_entry
        Leave each content one entry, the first, whatever the others say.
    drop_missing
        Leave out the entries whose file was not found, with all that they say.
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
    perhaps = set()
    stay = 0
    for missing in found.missing:
        where, now = missing.entry.where, missing.now
        if (now is None and drop_missing) or (one_entry and now in taken):
            answer[where] = None
        elif now is None:
            stay += 1
        else:
            answer[where] = _in_style(missing.entry, now, base)
            taken.add(now)
            if not missing.by_content:
                perhaps.add(where)
    return Mending(answer, frozenset(perhaps), stay)


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
