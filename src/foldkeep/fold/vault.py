"""A run's folder in the fold of a place: where folded files and the journal lie.

<place>/.foldkeep/README.txt
<place>/.foldkeep/lock                            who is at work here, see `hold_places`
<place>/.foldkeep/place                           which place this is, see `write_mark`
<place>/.foldkeep/<run key>/journal-2.jsonl       (journal.jsonl of an earlier Fold Keep)
<place>/.foldkeep/<run key>/files/000001.jpg
<place>/.foldkeep/<run key>/folders/000001        a folder that the run emptied

Beside a file's slot there may be two more names for a moment: ``in-000001.jpg``, what is to take its name
outside, and ``out-000001.jpg``, what had its name outside. Slots begin with a digit, so none is taken for them.
"""

import errno
import os
import stat
from collections.abc import Callable, Container, Iterator
from contextlib import ExitStack, contextmanager, suppress
from functools import partial
from types import TracebackType
from typing import Self

from foldkeep.model import Method, RunFile, visible
from foldkeep.model.kinds import suffix_of
from foldkeep.model.names import FOLD_NAME
from foldkeep.model.work import reason_of
from foldkeep.storage.local.changes import flush, keeping_times, remove_folder, take_away
from foldkeep.storage.local.drives import LOCK_NAME, MARK_NAME, PROBE, is_our_mark, mark_stays
from foldkeep.storage.local.ownership import owner_names
from foldkeep.storage.local.reading import FOLDER, facts_of, may_be_one, open_in, open_top

from .journal import NAMES, VERSION, Begun, Journal, Record, journal_in
from .removing.own import discard

FILES = b"files"
_FOLDERS = b"folders"
PROBES = (b"probe", b"probe-2")
"""Names among a run's files under which it is tried out what a volume can do."""

PROBE_TEXT = b"kite" * 1024

COMING_IN, COMING_OUT, REST = b"in-", b"out-", b"rest-"

_README = b"README.txt"
_README_TEXT = b"""Files that Fold Keep folded away wait here, whole. They can come back: foldkeep unfold RUN

Each folder is one run. Its journal-2.jsonl (journal.jsonl before Fold Keep 0.2) tells, one JSON object a line,
which file in `files` came from where: `slot` is the name here, `from` the percent-encoded path below the folder
that holds .foldkeep. A run with a journal-2.jsonl needs Fold Keep 0.2 or later.
`folders` has the folders that the run emptied. Without the computer that did this, all of it comes back
with: foldkeep unfold --from THE_FOLDER_THAT_HOLDS_.foldkeep
A name that begins with rest- has what was written only in a released file: with that, and a file that shows or
sounds the same, it comes back too.
Please do not delete anything here by hand; `foldkeep release RUN` does so and checks first.
"""
_FORMER_READMES = (
    b"""Files that Fold Keep folded away wait here, whole. They can come back: foldkeep unfold RUN

Each folder is one run. Its journal-2.jsonl (journal.jsonl before Fold Keep 0.2) tells, one JSON object a line,
which file in `files` came from where: `slot` is the name here, `from` the percent-encoded path below the folder
that holds .foldkeep. A run with a journal-2.jsonl needs Fold Keep 0.2 or later.
`folders` has the folders that the run emptied. Without the computer that did this, all of it comes back
with: foldkeep unfold --from THE_FOLDER_THAT_HOLDS_.foldkeep
Please do not delete anything here by hand; `foldkeep release RUN` does so and checks first.
""",
    b"""Files that Fold Keep folded away wait here, whole. They can come back: foldkeep unfold RUN

Each folder is one run. Its journal.jsonl tells, one JSON object a line, which file in `files` came from
where: `slot` is the name here, `from` the percent-encoded path below the folder that holds .foldkeep.
`folders` has the folders that the run emptied. Without the computer that did this, all of it comes back
with: foldkeep unfold --from THE_FOLDER_THAT_HOLDS_.foldkeep
Please do not delete anything here by hand; `foldkeep release RUN` does so and checks first.
""",
)


def slot_name(number: int, path: bytes) -> str:
    """Return the name of a run's file in the fold: its number, and its suffix where that is plain."""
    suffix = suffix_of(path.rpartition(b"/")[2])
    plain = suffix.isascii() and suffix.isalnum() and len(suffix) <= 12
    return f"{number:06d}.{suffix}" if plain else f"{number:06d}"


class Vault:
    """One run's folder in the fold of one place, held open.

    Attributes
    ----------
    files
        Descriptor of the folder of the folded files.
    device
        The device of that folder; folders on others are on another volume.
    """

    def __init__(self, place: bytes, key: str, *, create: bool = False, method: Method = Method.FOLD) -> None:
        """Open the folder of run `key` in the fold of `place`.

        Raises
        ------
        OSError
            If it is not there and `create` is false, or cannot be made, read or written; UnknownJournal if a newer
            Fold Keep wrote it.
        """
        self.place = place
        self.key = key
        with ExitStack() as opened:

            def hold(descriptor: int) -> int:
                opened.callback(os.close, descriptor)
                return descriptor

            def enter(above: int, name: bytes) -> int:
                if create:
                    _make_folder(above, name)
                return hold(open_in(above, name, FOLDER))

            top = hold(open_top(place))
            with keeping_times(top):
                fold = enter(top, FOLD_NAME)
            if create:
                _write_readme(fold)
            self._run = run = enter(fold, os.fsencode(key))
            self.files = enter(run, FILES)
            self.device = os.fstat(self.files).st_dev
            # Made anew if it was taken away: the ledger knows as much, and a change must be written down.
            descriptor, version = journal_in(run, create=True)
            self._journal = hold(descriptor)
            self.journal = Journal(descriptor, place, version)
            if not create:
                self.journal.check_known()
            elif self.journal.is_empty():
                self.journal.write([Begun(key, method)])
                for folder in (run, fold, top):
                    flush(folder)
            self._opened = opened.pop_all()
            self._folders: int | None = None

    def folders(self) -> int:
        """Return the descriptor of the folder of emptied folders, which is made when it is first asked for."""
        if self._folders is None:
            _make_folder(self._run, _FOLDERS)
            self._folders = open_in(self._run, _FOLDERS, FOLDER)
            self._opened.callback(os.close, self._folders)
        return self._folders

    def is_seen_from(self, folder: bytes, places: Container[bytes]) -> bool:
        """Tell whether a folder, not of this place, shows the fold of this place and this run in it.

        Parameters
        ----------
        places
            Those that have a folder of this run as well; of them it is told by the journal whether it is this one.
        """
        path = os.path.join(folder, FOLD_NAME, os.fsencode(self.key), NAMES[VERSION])
        try:
            seen = os.stat(path, follow_symlinks=False)
        except OSError:
            return False
        return folder not in places or may_be_one(seen, os.fstat(self._journal))

    def records(self) -> list[Record]:
        """Return what the journal tells."""
        return self.journal.read()

    def folder_records(self) -> list[Record]:
        """Return what the journal tells of folders."""
        return self.journal.read_folders()

    def __enter__(self) -> Self:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self._opened.close()


def tidy(place: bytes, key: str, accounted: Container[int] = ()) -> None:
    """Take away the folder of run `key` if no file waits in it, and the fold of `place` if no run is left.

    Whatever else lies there stays, and so do the folders around it. A process may be killed at any line
    here; the next call goes on where it was.

    Parameters
    ----------
    accounted
        Numbers of the files whose whereabouts a look has shown; while the journal tells of others, it stays.
    """
    with ExitStack() as opened:

        def enter(above: int, name: bytes) -> int:
            descriptor = open_in(above, name, FOLDER)
            opened.callback(os.close, descriptor)
            return descriptor

        try:
            top = open_top(place)
            opened.callback(os.close, top)
            fold = enter(top, FOLD_NAME)
            if key:
                with suppress(FileNotFoundError):
                    run = enter(fold, os.fsencode(key))
                    if _waits_something(run):
                        return
                    known = _known_numbers(run, place)
                    if any(number not in accounted for number in known):
                        return
                    _take_away_run(run, enter, known, partial(records_in, run, place))
                    remove_folder(os.fsencode(key), fold)
            if facts_of(fold, PROBE) is not None:  # of one that was killed
                take_away(os.path.join(place, FOLD_NAME, PROBE))
            ours = {os.fsdecode(name) for name in (_README, LOCK_NAME, MARK_NAME)}
            if set(os.listdir(fold)) <= ours and not mark_stays(fold):
                if _is_our_readme(fold):
                    discard(_README, fold)
                if is_our_mark(fold):
                    discard(MARK_NAME, fold)
                if not os.listdir(fold):  # else whoever holds the lock takes both away
                    with keeping_times(top):
                        remove_folder(FOLD_NAME, top)
        except OSError:
            return  # something waits here, or the drive is away


def _waits_something(run: int) -> bool:
    """Tell whether a folded file waits in a run's folder."""
    try:
        files = open_in(run, FILES, FOLDER)
    except FileNotFoundError:
        return False
    try:
        with os.scandir(files) as entries:
            return any(entry.name[:1].isdigit() for entry in entries)
    finally:
        os.close(files)


def _known_numbers(run: int, place: bytes) -> set[int]:
    """Return the numbers of the files that the journal of a run tells of; UnknownJournal if it cannot be read."""
    with _journal_to_read(run, place) as journal:
        if journal is None:
            return set()
        journal.check_known()
        return journal.numbers()


@contextmanager
def _journal_to_read(run: int, place: bytes) -> Iterator[Journal | None]:
    """Open the journal in the open folder of a run for reading alone; None where it was taken away."""
    try:
        descriptor, version = journal_in(run, only_reads=True)
    except FileNotFoundError:
        yield None
        return
    try:
        yield Journal(descriptor, place, version)
    finally:
        os.close(descriptor)


def _take_away_run(
    run: int, enter: Callable[[int, bytes], int], known: set[int], records: Callable[[], list[Record]]
) -> None:
    # The journal goes only when nothing waits, and before what tells a run that was begun from one that was not.
    with suppress(FileNotFoundError):
        files = enter(run, FILES)
        _take_away_prepared(files, known, records)
        if os.listdir(files):
            raise OSError(errno.ENOTEMPTY, os.strerror(errno.ENOTEMPTY))
    with suppress(FileNotFoundError):
        emptied = enter(run, _FOLDERS)
        for folder in os.listdir(emptied):
            remove_folder(folder, emptied)
        remove_folder(_FOLDERS, run)
    for name in NAMES.values():
        with suppress(FileNotFoundError):
            discard(name, run)
    with suppress(FileNotFoundError):
        remove_folder(FILES, run)


def _take_away_prepared(files: int, known: set[int], records: Callable[[], list[Record]]) -> None:
    """Take away what was tried out, or made for a file that was never announced: it has never left the vault."""
    names = set(map(os.fsencode, os.listdir(files)))
    for name in names:
        slot = name.removeprefix(COMING_IN)
        number = slot.partition(b".")[0]
        is_unknown = slot != name and number.isdigit() and int(number) not in known
        if (name in PROBES and _is_probe(files, name)) or (is_unknown and is_prepared(files, name, records)):
            discard(name, files)


def _is_probe(files: int, name: bytes) -> bool:
    facts = facts_of(files, name)
    if facts is None or stat.S_ISLNK(facts.st_mode):
        return facts is not None
    descriptor = open_in(files, name)
    try:
        return PROBE_TEXT.startswith(os.read(descriptor, len(PROBE_TEXT) + 1))
    finally:
        os.close(descriptor)


def is_prepared(files: int, name: bytes, records: Callable[[], list[Record]]) -> bool:
    """Tell whether a name is that of what was made for a file before that was announced, by a killed process.

    A link that has become the only name of a keeper's content is more than that.
    """
    if not name.startswith(COMING_IN):
        return False
    methods = [record.method for record in records() if isinstance(record, Begun)]
    links = not methods or Method.HARD_LINK in methods
    facts = facts_of(files, name)
    return not (links and facts is not None and facts.st_nlink == 1)


def records_in(run: int, place: bytes) -> list[Record]:
    """Return what the journal in the open folder of a run tells; nothing where it was taken away."""
    with _journal_to_read(run, place) as journal:
        return [] if journal is None else journal.read()


def files_folder(place: bytes, key: str) -> bytes:
    """Return the path of the folder in the fold of a place where the files of a run wait."""
    return os.path.join(place, FOLD_NAME, os.fsencode(key), FILES)


def runs_in(place: bytes) -> list[str]:
    """Return the keys of the runs that have a folder in the fold of a place, in order of name.

    Raises OSError if there is no fold.
    """
    return sorted(
        os.fsdecode(entry.name)
        for entry in os.scandir(os.path.join(place, FOLD_NAME))
        if entry.is_dir(follow_symlinks=False)
    )


def _make_folder(above: int, name: bytes) -> None:
    # Only the user may look in: a file from a private folder stays private while it waits.
    try:
        os.mkdir(name, 0o700, dir_fd=above)
    except FileExistsError:
        return
    flush(above)


def _write_readme(fold: int) -> None:
    """Write down for people what this folder is; a text of an earlier Fold Keep gives way."""
    if facts_of(fold, _README) is not None:
        if not _is_our_readme(fold) or _readme_text(fold) == _README_TEXT:
            return
        discard(_README, fold)
    descriptor = open_in(fold, _README, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o644)
    try:
        os.write(descriptor, _README_TEXT)
    finally:
        os.close(descriptor)


def _is_our_readme(fold: int) -> bool:
    """Tell whether the text for people is one that a Fold Keep wrote, or began to write."""
    text = _readme_text(fold)
    return text is not None and any(whole.startswith(text) for whole in (_README_TEXT, *_FORMER_READMES))


def _readme_text(fold: int) -> bytes | None:
    try:
        descriptor = open_in(fold, _README)
    except OSError:
        return None
    try:
        return os.read(descriptor, len(_README_TEXT) * 2)
    finally:
        os.close(descriptor)


def coming_in(file: RunFile) -> bytes:
    """Return the name in the vault of what is to take a file's name outside."""
    return COMING_IN + os.fsencode(file.slot)


def coming_out(file: RunFile) -> bytes:
    """Return the name in the vault of what had a file's name outside."""
    return COMING_OUT + os.fsencode(file.slot)


def copy_name(key: str, file: RunFile) -> bytes:
    """Return the name that a copy has until it is whole: ours, since nobody else knows the run's key."""
    return os.fsencode(f".foldkeep-{key}-{file.number}")


def fold_fault(place: bytes, error: OSError) -> str:
    """Return why the fold of a place cannot be used; where it is somebody else's, whose it is."""
    fold = os.path.join(place, FOLD_NAME)
    if error.errno in (errno.EACCES, errno.EPERM):
        with suppress(OSError):
            facts = os.lstat(fold)
            if facts.st_uid != os.geteuid():
                owner = visible(owner_names(facts.st_uid, facts.st_gid)[0]) or f"user {facts.st_uid}"
                return f"{visible(fold)} belongs to {owner}, who alone can fold here"
    return reason_of(error)
