"""Plain lists of paths: one a line, or with a NUL byte after each."""

from collections.abc import Iterator

from foldkeep.model.catalogs import CatalogEntry

from ..reading import is_utf16, lines_of, opened_file, read_whole

_LOOKED_AT = 64 * 1024


def read_list(path: str) -> Iterator[CatalogEntry]:
    """Yield the paths of a list; raises OSError or ValueError if it cannot be read."""
    for where, text, end in list_parts(path):
        # Between NUL bytes even a space is a name; a line of spaces is none.
        if text if end == "\0" else text.strip():
            yield CatalogEntry(text, where)


def list_parts(path: str) -> Iterator[tuple[str, str, str]]:
    """Yield where each path of a list is, the path (empty between two), and what ends it; errors as for `read_list`."""
    with opened_file(path) as file:
        head = file.read(_LOOKED_AT)
        has_nul = b"\0" in head and not is_utf16(head)
        file.seek(0)
        if not has_nul:
            yield from ((f"line {number}", line, "\n") for number, line in lines_of(file))
            return
    for number, name in enumerate(read_whole(path).split(b"\0"), start=1):
        yield f"entry {number}", name.decode("utf-8", "surrogateescape"), "\0" if name else ""
