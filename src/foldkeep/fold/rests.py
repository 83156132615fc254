"""Rests of files that went for a keeper with their essence: proved and written before the file goes.

A rest lies beside the slots of its run, with the owner, mode, times and attributes of the file that it is of, which is
rebuilt from it when that was released.
"""

import errno
import os
from collections.abc import Callable, Iterable, Iterator

from blake3 import blake3

from foldkeep.formats.own import Piece, Rest, read_rest, written_rest
from foldkeep.model import PathBytes, RunFile, UnusableInput, visible
from foldkeep.model.extras import extra_of
from foldkeep.signals.essences import FileSource, NoEssence, Source, essence_of, rebuilt, rest_of, source_at
from foldkeep.storage.local.changes import flush, move, write_content
from foldkeep.storage.local.reading import NotSafe, digest_in, facts_of, open_in

from .removing.own import discard
from .vault import REST, coming_in

MOST_OF_FILE = 512 * 1024 * 1024
"""How large the file of a rest may be."""

Having = Callable[[RunFile, Rest | None], Iterable[PathBytes]]
"""Tells where files may lie that have the essence that a rest needs; without a rest, the content itself."""

_WHOLE = "whole"
_NOT_REBUILT = "it cannot be rebuilt from its keeper, bit for bit"


def rest_name(file: RunFile) -> bytes:
    """Return the name of a file's rest in the vault."""
    return REST + os.fsencode(file.slot)


def proved_rest(file: RunFile, descriptor: int, keeper: PathBytes) -> bytes:
    """Return the rest of a file as it is kept, once it and the essence of its keeper have made the very file.

    Raises NotSafe if they do not; OSError if one of them cannot be read.
    """
    source = FileSource(descriptor, file.size)
    try:
        rest = rest_of(essence_of(source), source, file.content)
        with source_at(keeper) as other:
            if _digest_of_rebuilt(rest, other) != file.content:
                raise NotSafe(_NOT_REBUILT)
    except NoEssence:
        raise NotSafe(_NOT_REBUILT) from None
    except ModuleNotFoundError as error:
        raise _lacking(error) from error
    return written_rest(rest)


def whole_rest(file: RunFile, descriptor: int) -> bytes:
    """Return a rest from which an open file is made again without any other: all of it.

    Raises NotSafe if it is not what was folded; OSError if it cannot be read.
    """
    content = os.pread(descriptor, file.size + 1, 0)
    digest = blake3(content).digest()
    if (digest, len(content)) != (file.content, file.size):
        raise NotSafe("its content is not what was folded; unfold it to look at it")
    pieces = (Piece(file.size, 0, 0),)
    return written_rest(Rest(_WHOLE, blake3().digest(), 0, file.size, digest, pieces, content))


def _lacking(error: ModuleNotFoundError) -> NotSafe:
    """Return why a file stays as it is where a library is missing."""
    return NotSafe(str(extra_of(error) or error))


def _digest_of_rebuilt(rest: Rest, source: Source) -> bytes:
    hasher = blake3()
    for part in rebuilt(rest, essence_of(source), source):
        hasher.update(part)
    return hasher.digest()


def keep_rest(files: int, file: RunFile, descriptor: int, rest: bytes) -> None:
    """Write the rest of an open file into the vault and read it back; the file itself lies there still.

    Raises OSError if it cannot be written.
    """
    name = rest_name(file)
    if facts_of(files, name) is not None:  # of the fold, or of a release that did not come to its end
        discard(name, files)
    kept = write_content([rest], descriptor, files, name)
    if "mode" in kept.lost:  # an owner or an attribute that only the system may give is no reason to keep the file
        raise OSError(errno.EIO, "its mode could not be kept")
    flush(files)


def rebuild(files: int, file: RunFile, having: Having) -> None:
    """Make a released file again in its slot, from its rest and the first file with its essence.

    Raises
    ------
    NotSafe
        If its rest is gone or damaged, or nothing that can be read now has its essence.
    OSError
        If it cannot be written.
    """
    try:
        descriptor = open_in(files, rest_name(file))
    except FileNotFoundError:
        raise NotSafe("gone from the fold, and its rest too; somebody took it away") from None
    try:
        rest = _read(descriptor, file)
        incoming = coming_in(file)
        for path in having(file, rest) if rest.length else [b""]:
            if facts_of(files, incoming) is not None:
                discard(incoming, files)
            try:
                parts = _rebuilt_from(path, rest) if rest.length else iter([rest.content])
                made = write_content(parts, descriptor, files, incoming)
            except NoEssence:
                continue
            if made.lost:  # its rest has them, so another time it may be given them
                discard(incoming, files)
                raise NotSafe(f"it could not be given its {', '.join(made.lost)}; try again")
            if made.digest == rest.digest:
                move(files, incoming, files, os.fsencode(file.slot))
                flush(files)
                return
            discard(incoming, files)
    finally:
        os.close(descriptor)
    raise NotSafe(
        f"nothing that can be read now has its picture or sound, not even {visible(file.keeper)};"
        " connect what is away, scan, and try again"
    )


def _rebuilt_from(path: PathBytes, rest: Rest) -> Iterator[bytes]:
    """Yield the content of a file from its rest and another file; NoEssence too if that cannot be read."""
    try:
        with source_at(path) as source:
            yield from rebuilt(rest, essence_of(source), source)
    except OSError as error:
        raise NoEssence("it cannot be read") from error
    except ModuleNotFoundError as error:
        raise _lacking(error) from error


def _read(descriptor: int, file: RunFile) -> Rest:
    rest = read_open_rest(FileSource(descriptor, os.fstat(descriptor).st_size))
    if rest is None:
        raise NotSafe("its rest is damaged; take it from a copy of the drive")
    if (rest.digest, rest.size) != (file.content, file.size):
        raise NotSafe("its rest is that of another file; somebody changed the fold")
    return rest


def read_open_rest(source: Source) -> Rest | None:
    """Return the rest that a file holds; None if it holds none that is whole."""
    if source.size > MOST_OF_FILE:
        return None
    try:
        return read_rest(source.read(0, source.size))
    except (UnusableInput, NoEssence):
        return None


def check_rest(files: int, file: RunFile) -> Rest:
    """Return the rest of a file as it lies in the vault. Raises NotSafe if it is damaged or gone, OSError if it cannot
    be read.
    """
    try:
        descriptor = open_in(files, rest_name(file))
    except FileNotFoundError:
        raise NotSafe("its rest is gone; somebody took it away") from None
    try:
        return _read(descriptor, file)
    finally:
        os.close(descriptor)


def take_rest_away(files: int, file: RunFile) -> None:
    """Take the rest of a file away that never went from where it is."""
    name = rest_name(file)
    if facts_of(files, name) is not None:
        discard(name, files)


def drop_rest(files: int, file: RunFile, home: tuple[int, bytes]) -> None:
    """Take the rest of a file away that is whole again where it was; it stays if that is not so."""
    name = rest_name(file)
    if facts_of(files, name) is not None and digest_in(*home) == file.content:
        discard(name, files)
