"""The file of a journal: only added to, flushed before what it announces, with room kept for its own end.

Behind its last line a journal has blanks: room on the disk for what will be written of the same files when
they come back or are released. So a volume without a free byte does not keep them from it. A line counts if it is
whole: a run that is killed, or a power cut, leaves part of a line, and what that was to announce was not done.
"""

import errno
import json
import os
import re
import zlib
from collections.abc import Callable, Iterable, Iterator

from foldkeep.storage.local.changes import flush
from foldkeep.storage.local.reading import open_in

from .records import KNOWN_STEPS, VERSION, FolderTouched, Record, UnknownStep, decoded, encoded

NAMES = {1: b"journal.jsonl", 2: b"journal-2.jsonl"}
"""Names of journals by their versions; an earlier Fold Keep does not take a later one's for its own."""

_KINDRED = (b"journal",)
_encode = json.JSONEncoder(separators=(",", ":")).encode
_BLANK = b" \n\0"
_ROOM_EACH = 200
# The first two members of a line are always written first.
_STEP = re.compile(rb'\{"(\w+)":"?([\w-]*)')
_SUM = re.compile(rb',"sum":"([0-9a-f]{8})"\}$')
_NUMBER = re.compile(rb'^\{"do":"(?:fold|move|copy|bin|write)","n":(\d+)', re.MULTILINE)
_OF_FOLDER = re.compile(rb'\{"(?:do|done)":"(?:make|empty|refill|touch)"')


class UnknownJournal(OSError):
    """A journal that a newer Fold Keep wrote: it is left as it is."""

    def __init__(self) -> None:
        super().__init__(errno.EPROTO, "its journal is of a later version; use the release that wrote it")


class Journal:
    """The journal of one run in one place, open for adding to it.

    The descriptor belongs to the caller.

    Parameters
    ----------
    place
        Absolute path of the place, to which paths below it are written relative.
    version
        Of what is written there already.
    """

    def __init__(self, descriptor: int, place: bytes, version: int = VERSION) -> None:
        self._descriptor = descriptor
        self._place = place
        self.version = version
        self._at = len(_content(descriptor).rstrip(_BLANK))
        self._room = 0
        self._known: list[Record] | None = None
        self.touched: set[bytes] = set()
        """Folders of which it was written down by this object that names in them are about to be changed."""

    def write(self, records: Iterable[Record], *, makes_room: bool = False) -> None:
        """Add records and flush them to the disk; they last when this returns.

        Parameters
        ----------
        makes_room
            Have the volume keep room for what will be written of the same files later.
        """
        added = [(record, encoded(record, self._place, self.version)) for record in records]
        lines = [_with_sum(_encode(line).encode("ascii")) for _, line in added if line is not None]
        if not lines:
            return
        text = b"\n" * bool(self._at) + b"\n".join(lines)
        room = b"\n"
        if makes_room:
            self._room += sum(len(line) + _ROOM_EACH for line in lines)
            missing = self._at + len(text) + self._room - os.fstat(self._descriptor).st_size
            room += b" " * max(0, missing)
        at = self._at
        rest = text + room
        while rest:
            written = os.pwrite(self._descriptor, rest, at)
            rest, at = rest[written:], at + written
        flush(self._descriptor)
        self._at += len(text)
        if self._known is not None:
            self._known += [record for record, line in added if line is not None]
        self.touched |= {record.path for record, _ in added if isinstance(record, FolderTouched)}

    def is_empty(self) -> bool:
        """Tell whether nothing was written yet."""
        return self._at == 0

    def check_known(self) -> None:
        """Look whether this version knows every step, without taking each apart; UnknownJournal if it does not."""
        for text in _content(self._descriptor).split(b"\n"):
            line = _without_sum(text.strip(_BLANK))
            if line.endswith(b"}") and (found := _STEP.match(line)):
                is_step = found[1] in (b"do", b"done") and found[2].decode() in KNOWN_STEPS
                if not (is_step or (found[1] == b"journal" and int(found[2] or b"0") <= VERSION)) and self.version > 1:
                    raise UnknownJournal

    def numbers(self) -> set[int]:
        """Return the numbers of the files that it tells of."""
        return {int(number) for number in _NUMBER.findall(_content(self._descriptor))}

    def read(self) -> list[Record]:
        """Return the whole records in the order in which they were written.

        Raises
        ------
        UnknownJournal
            If a newer Fold Keep wrote any of it.
        """
        if self._known is None:
            self._known = list(self._decoded(lambda _: True))
        return self._known

    def read_folders(self) -> list[Record]:
        """Return the records of folders only, which are few; as `read` does."""
        if self._known is not None:
            return self._known
        return list(self._decoded(lambda line: _OF_FOLDER.match(line) is not None))

    def _decoded(self, wanted: Callable[[bytes], bool]) -> Iterator[Record]:
        for text in _content(self._descriptor).split(b"\n"):
            whole = _without_sum(text.strip(_BLANK))
            if not whole or not wanted(whole):
                continue
            try:
                line = json.loads(whole)
                if not isinstance(line, dict):
                    continue
                record = decoded(line, self._place)
            except UnknownStep as error:
                if self.version > 1:
                    raise UnknownJournal from error
                continue
            except (ValueError, KeyError, TypeError, OverflowError, RecursionError):
                continue  # torn, or not a line that we wrote
            if getattr(record, "version", 0) > VERSION:
                raise UnknownJournal
            yield record


def _with_sum(line: bytes) -> bytes:
    """Return a line with its check sum (CRC-32 of what it is without that) as its last member."""
    return line[:-1] + b',"sum":"%08x"}' % zlib.crc32(line)


def _without_sum(line: bytes) -> bytes:
    """Return a line without its check sum; nothing if that is wrong. Lines of an earlier Fold Keep have none."""
    found = _SUM.search(line)
    if found is None:
        return line
    whole = line[: found.start()] + b"}"
    return whole if zlib.crc32(whole) == int(found[1], 16) else b""


def _content(descriptor: int) -> bytes:
    with open(descriptor, "rb", closefd=False) as stream:
        stream.seek(0)
        return stream.read()


def journal_in(run: int, *, create: bool = False, only_reads: bool = False) -> tuple[int, int]:
    """Open the journal in the open folder of a run; return its descriptor and version.

    Parameters
    ----------
    create
        Make one if there is none.
    only_reads
        Open it for reading alone, as a looking command does and a write-protected drive wants.

    Raises
    ------
    OSError
        FileNotFoundError if there is none; UnknownJournal if there is one of a later version.
    """
    names = set(map(os.fsencode, os.listdir(run)))
    if any(name.startswith(_KINDRED) for name in names.difference(NAMES.values())):
        raise UnknownJournal
    version = max((version for version, name in NAMES.items() if name in names), default=VERSION)
    flags = (os.O_RDONLY if only_reads else os.O_RDWR) | os.O_NOFOLLOW | os.O_CLOEXEC | (os.O_CREAT if create else 0)
    return open_in(run, NAMES[version], flags), version
