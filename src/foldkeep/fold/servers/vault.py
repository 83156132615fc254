"""A run's folder in the fold of a place on a server.

<place>/.foldkeep/README.txt
<place>/.foldkeep/lock                            who is at work here
<place>/.foldkeep/<run key>/journal/000001.jsonl  each written once: nothing can be added to a file there
<place>/.foldkeep/<run key>/files/000001.jpg

What is written is read back. That it lasts is the server's word: a success is no flush.
"""

import json
import os
import re
from collections.abc import Container, Iterable
from contextlib import suppress

from foldkeep.model import Method, PathBytes, RunFile
from foldkeep.model.names import FOLD_NAME, lies_below
from foldkeep.model.remote import server_of
from foldkeep.storage.local.drives import LOCK_NAME
from foldkeep.storage.remote import (
    RemoteStorage,
    make_folder,
    remote_storage,
    remove_empty,
    whole,
    write_surely,
)

from ..journal import VERSION, Begun, Record, UnknownJournal, histories
from ..journal.records import UnknownStep, decoded, encoded
from ..removing.own import discard_afar
from .fence import is_fence
from .trial import PROBES, Trial, try_out

_JOURNAL, _FILES, _README = b"journal", b"files", b"README.txt"
_PAGE_NAME = re.compile(rb"\d{6}\.jsonl")
_README_TEXT = b"""Files that Fold Keep folded away wait here, whole. They can come back: foldkeep unfold RUN

Each folder is one run. The pages in its `journal` tell, one JSON object a line, which file in `files` came from
where: `slot` is the name here, `from` the percent-encoded path below the folder that holds .foldkeep.
Without the computer that did this, all of it comes back with: foldkeep unfold --from THE_ADDRESS_OF_THAT_FOLDER
Please do not delete anything here by hand; `foldkeep release RUN` does so and checks first.
"""


class RemoteVault:
    """One run's folder in the fold of one place on a server.

    Attributes
    ----------
    honours_conditions
        Whether the server was found to move and delete only what has the entity tag that it is told.
    """

    def __init__(self, place: PathBytes, key: str, *, create: bool = False, method: Method = Method.FOLD) -> None:
        """Open the folder of run `key` in the fold of `place`.

        Raises
        ------
        OSError
            FileNotFoundError if it is not there and `create` is false; UnknownJournal if a newer Fold Keep wrote it.
        """
        self.place, self.key = place, key
        self.storage: RemoteStorage = remote_storage(place)
        self._fold = place + b"/" + FOLD_NAME
        self._run = self._fold + b"/" + os.fsencode(key)
        self.honours_conditions = False
        if create:
            self._make()
        self._pages = sorted(name for name in self._names(_JOURNAL) if _PAGE_NAME.fullmatch(name))
        self._records: list[Record] | None = None
        if not self._pages and create:
            self.write([Begun(key, method)])

    def _make(self) -> None:
        for folder in (self._fold, self._run, self._run + b"/" + _JOURNAL, self._run + b"/" + _FILES):
            make_folder(self.storage, folder)
        with suppress(FileExistsError):
            self.storage.write_new(self._fold + b"/" + _README, [_README_TEXT], len(_README_TEXT))

    def _names(self, folder: bytes) -> list[bytes]:
        return [each.name for each in self.storage.files(self._run + b"/" + folder)]

    def slot(self, file: RunFile) -> PathBytes:
        """Return the path at which a file waits."""
        return b"/".join((self._run, _FILES, os.fsencode(file.slot)))

    def whereabouts(self, file: RunFile) -> PathBytes:
        """Return the path at which a file lies once it has gone: its target on this server, else its slot."""
        return file.target if lies_below(file.target, server_of(self.place)) else self.slot(file)

    def write(self, records: Iterable[Record]) -> None:
        """Write records as one page of the journal, and read it back; they are told when this returns.

        Raises OSError if that is not sure; nothing may be done then of what they announce.
        """
        lines = [encoded(record, self.place) for record in records]
        text = b"".join(json.dumps(line, separators=(",", ":")).encode("ascii") + b"\n" for line in lines if line)
        if not text:
            return
        number = int(self._pages[-1].partition(b".")[0]) + 1 if self._pages else 1
        name = b"%06d.jsonl" % number
        write_surely(self.storage, b"/".join((self._run, _JOURNAL, name)), text)
        self._pages.append(name)
        self._records = None

    def records(self) -> list[Record]:
        """Return what the journal tells, in the order in which it was written."""
        if self._records is None:
            self._records = [record for name in self._pages for record in self._page(name)]
        return self._records

    def _page(self, name: bytes) -> list[Record]:
        return page_records(whole(self.storage, b"/".join((self._run, _JOURNAL, name))), self.place)

    def try_out(self, names: Iterable[PathBytes]) -> Trial:
        """Find out what can be entrusted to the server, as `trial.try_out` does."""
        trial = try_out(self.storage, self._run + b"/" + _FILES, names, self.place)
        self.honours_conditions = trial.honours_conditions
        return trial

    def tidy(self, accounted: Container[int] = ()) -> None:
        """Take away this folder if no file waits in it and each that its journal tells of is accounted for."""
        try:
            announced = (number for number, each in histories(self.records()).items() if each.first)
            if any(number not in accounted for number in announced):
                return
            files = self.storage.files(self._run + b"/" + _FILES)
            for each in files:
                path = b"/".join((self._run, _FILES, each.name))
                if each.is_folder or not (each.name in PROBES or is_fence(self.storage, path, each)):
                    return
            for each in files:
                discard_afar(self.storage, b"/".join((self._run, _FILES, each.name)), each.etag)
            for name in self._pages:
                discard_afar(self.storage, b"/".join((self._run, _JOURNAL, name)))
            for folder in (_FILES, _JOURNAL):
                remove_empty(self.storage, self._run + b"/" + folder)
            remove_empty(self.storage, self._run)
            tidy_fold(self.storage, self.place)
        except OSError:
            return  # the next one goes on


def page_records(text: bytes, place: PathBytes) -> list[Record]:
    """Return the whole records of a page of a journal; UnknownJournal if a newer Fold Keep wrote any of it."""
    found = []
    for line in filter(None, text.split(b"\n")):
        try:
            told = json.loads(line)
            record = decoded(told, place) if isinstance(told, dict) else None
        except UnknownStep as error:
            raise UnknownJournal from error
        except (ValueError, KeyError, TypeError, OverflowError, RecursionError):
            continue  # torn: what it was to announce was not done
        if record is None or getattr(record, "version", 0) > VERSION:
            raise UnknownJournal
        found.append(record)
    return found


def take_away_unbegun(place: PathBytes, key: str) -> None:
    """Take away what was made of a run's folder before anything was written into its journal."""
    storage = remote_storage(place)
    run = place + b"/" + FOLD_NAME + b"/" + os.fsencode(key)
    for folder in (run + b"/" + _FILES, run + b"/" + _JOURNAL, run):
        with suppress(OSError):
            remove_empty(storage, folder)
    with suppress(OSError):
        tidy_fold(storage, place)


def tidy_fold(storage: RemoteStorage, place: PathBytes) -> None:
    """Take away our text for people if nothing else is in the fold of a place, which we hold."""
    fold = place + b"/" + FOLD_NAME
    names = {each.name for each in storage.files(fold)}
    if names <= {_README, LOCK_NAME} and _README in names and whole(storage, fold + b"/" + _README) == _README_TEXT:
        discard_afar(storage, fold + b"/" + _README)  # the fold itself goes with the lock


def runs_on(place: PathBytes) -> list[str]:
    """Return the keys of the runs that have a folder in the fold of a place on a server, in order of name.

    Raises OSError if there is no fold.
    """
    found = remote_storage(place).files(place + b"/" + FOLD_NAME)
    return sorted(os.fsdecode(each.name) for each in found if each.is_folder)
