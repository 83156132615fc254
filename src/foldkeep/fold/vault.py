"""A run's folder in the fold of a place: where folded files and the journal lie.

<place>/.foldkeep/README.txt
<place>/.foldkeep/<run key>/journal.jsonl
<place>/.foldkeep/<run key>/files/000001.jpg
<place>/.foldkeep/<run key>/folders/000001        a folder that the run emptied

Beside a file's slot there may be two more names for a moment: ``in-000001.jpg``, what is to take its name
outside, and ``out-000001.jpg``, what had its name outside. Slots begin with a digit, so none is taken for them.
"""

import os
from contextlib import ExitStack, suppress
from types import TracebackType
from typing import Self

from foldkeep.model import FOLD_NAME, Method, suffix_of
from foldkeep.scan import FOLDER

from .journal import VERSION, Entry, Journal, read_journal

_JOURNAL = b"journal.jsonl"
_FILES = b"files"
_FOLDERS = b"folders"
PROBES = (b"probe", b"probe-2")
"""Names among a run's files under which it is tried out what a volume can do."""

COMING_IN, COMING_OUT = b"in-", b"out-"

_README = b"README.txt"
_README_TEXT = b"""Files that Fold Keep folded away wait here, whole. They can come back: foldkeep unfold RUN

Each folder is one run. Its journal.jsonl tells, one JSON object a line, which file in `files` came from
where: `slot` is the name here, `from` the percent-encoded path below the folder that holds .foldkeep.
`folders` has the folders that the run emptied. Without the computer that did this, all of it comes back
with: foldkeep unfold --from THE_FOLDER_THAT_HOLDS_.foldkeep
Please do not delete anything here by hand; `foldkeep release RUN` does so and checks first.
"""


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
        The device that the fold lies on; files of other devices cannot be folded into it.
    """

    def __init__(self, place: bytes, key: str, *, create: bool = False, method: Method = Method.FOLD) -> None:
        """Open the folder of run `key` in the fold of `place`.

        Raises
        ------
        OSError
            If it is not there and `create` is false, or cannot be made, read or written.
        """
        self.place = place
        with ExitStack() as opened:

            def hold(descriptor: int) -> int:
                opened.callback(os.close, descriptor)
                return descriptor

            def enter(above: int, name: bytes) -> int:
                if create:
                    _make_folder(above, name)
                return hold(os.open(name, FOLDER, dir_fd=above))

            top = hold(os.open(place, FOLDER & ~os.O_NOFOLLOW))
            fold = enter(top, FOLD_NAME)
            if create:
                _write_readme(fold)
            self._run = run = enter(fold, os.fsencode(key))
            self.files = enter(run, _FILES)
            self.device = os.fstat(self.files).st_dev
            # Made anew if it was taken away: the ledger knows as much, and a change must be written down.
            flags = os.O_RDWR | os.O_APPEND | os.O_CREAT | os.O_NOFOLLOW | os.O_CLOEXEC
            self._journal = hold(os.open(_JOURNAL, flags, 0o600, dir_fd=run))
            self.journal = Journal(self._journal)
            if create:
                self.journal.write([{"journal": VERSION, "run": key, "method": method}])
                os.fsync(run)
            self._opened = opened.pop_all()
            self._folders: int | None = None

    def folders(self) -> int:
        """Return the descriptor of the folder of emptied folders, which is made when it is first asked for."""
        if self._folders is None:
            _make_folder(self._run, _FOLDERS)
            self._folders = os.open(_FOLDERS, FOLDER, dir_fd=self._run)
            self._opened.callback(os.close, self._folders)
        return self._folders

    def entries(self) -> list[Entry]:
        """Return what the journal says."""
        return read_journal(self._journal)

    def __enter__(self) -> Self:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self._opened.close()


def tidy(place: bytes, key: str) -> None:
    """Take away the folder of run `key` if no file waits in it, and the fold of `place` if no run is left.

    Whatever else lies there stays, and so do the folders around it. A process may be killed at any line
    here; the next call goes on where it was.
    """
    with ExitStack() as opened:

        def enter(above: int, name: bytes) -> int:
            descriptor = os.open(name, FOLDER, dir_fd=above)
            opened.callback(os.close, descriptor)
            return descriptor

        try:
            top = os.open(place, FOLDER & ~os.O_NOFOLLOW)
            opened.callback(os.close, top)
            fold = enter(top, FOLD_NAME)
            with suppress(FileNotFoundError):
                run = enter(fold, os.fsencode(key))
                with suppress(FileNotFoundError):
                    _take_away_prepared(enter(run, _FILES))
                    os.rmdir(_FILES, dir_fd=run)
                with suppress(FileNotFoundError):
                    emptied = enter(run, _FOLDERS)
                    for name in os.listdir(emptied):
                        os.rmdir(name, dir_fd=emptied)
                    os.rmdir(_FOLDERS, dir_fd=run)
                with suppress(FileNotFoundError):
                    os.unlink(_JOURNAL, dir_fd=run)
                os.rmdir(os.fsencode(key), dir_fd=fold)
            if set(os.listdir(fold)) <= {os.fsdecode(_README)}:
                with suppress(FileNotFoundError):
                    os.unlink(_README, dir_fd=fold)
                os.rmdir(FOLD_NAME, dir_fd=top)
        except OSError:
            return  # something waits here, or the drive is away


def _take_away_prepared(files: int) -> None:
    """Take away what was tried out, or made for a file that never came: its spare is still where it was."""
    names = set(map(os.fsencode, os.listdir(files)))
    for name in names:
        if name in PROBES or (name.startswith(COMING_IN) and name.removeprefix(COMING_IN) not in names):
            os.unlink(name, dir_fd=files)


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
    os.fsync(above)


def _write_readme(fold: int) -> None:
    try:
        descriptor = os.open(_README, os.O_WRONLY | os.O_CREAT | os.O_EXCL | os.O_CLOEXEC, 0o644, dir_fd=fold)
    except FileExistsError:
        return
    try:
        os.write(descriptor, _README_TEXT)
    finally:
        os.close(descriptor)
