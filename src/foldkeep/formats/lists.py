"""Plain lists of paths: one a line, or with a NUL byte after each."""

from collections.abc import Iterator

from foldkeep.model import CatalogEntry

from .reading import lines_of, read_whole

_LOOKED_AT = 64 * 1024


def read_list(path: str) -> Iterator[CatalogEntry]:
    """Yield the paths of a list; raises OSError or ValueError if it cannot be read."""
    with open(path, "rb") as file:
        has_nul = b"\0" in file.read(_LOOKED_AT)
        file.seek(0)
        if not has_nul:
            for number, line in lines_of(file):
                if line.strip():
                    yield CatalogEntry(line, f"line {number}")
            return
    for number, name in enumerate(read_whole(path).split(b"\0"), start=1):
        if name:
            yield CatalogEntry(name.decode("utf-8", "surrogateescape"), f"entry {number}")
