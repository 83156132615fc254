"""What a catalogue, a playlist or a timeline of another program says of files."""

from typing import NamedTuple


class CatalogEntry(NamedTuple):
    """One file as a catalogue names it.

    Attributes
    ----------
    text
        The path as it is written there: absolute or relative, with any slashes, or a ``file:`` URI. Bytes that are no
        text are carried as lone surrogates (PEP 383).
    where
        Where in the catalogue: ``line 7``.
    by_name
        Whether it is the name of a file alone, which may lie anywhere.
    keywords, rating, title, description
        What the catalogue says of it.
    """

    text: str
    where: str
    by_name: bool = False
    keywords: tuple[str, ...] = ()
    rating: float | None = None
    title: str | None = None
    description: str | None = None


class CatalogSource(NamedTuple):
    """Source of a catalogue, and the way to read it.

    Attributes
    ----------
    path
        Absolute path of the file, or of the folder whose sidecars are meant.
    form
        ``list``, ``csv``, ``json``, ``jsonl``, ``m3u``, ``pls``, ``xspf``, ``otio``, ``edl``, ``sqlite`` or ``xmp``.
    field
        The column, key or JSON pointer (RFC 6901) that holds the path; empty to find it by its content.
    query
        What is asked of an SQLite file.
    """

    path: str
    form: str
    field: str = ""
    query: str = ""


class Catalog(NamedTuple):
    """A catalogue that the user has told Fold Keep about.

    Attributes
    ----------
    name
        What it is remembered by; of one that is not remembered, its path.
    sources
        What is read, one after the other.
    root_maps
        How paths of another machine begin, and how the same ones begin here.
    ignore_case
        Whether names that differ in letter case only are the same.
    """

    name: str
    sources: tuple[CatalogSource, ...]
    root_maps: tuple[tuple[str, str], ...] = ()
    ignore_case: bool = False
