"""Strays: files in a fold that no line of a journal names, and the ledger does not either."""

import os
from collections.abc import Callable, Container
from contextlib import ExitStack, suppress
from functools import partial

from foldkeep.storage.local.reading import FOLDER, open_in, open_top

from .journal import Going, Record
from .vault import COMING_IN, COMING_OUT, FILES, PROBES, REST, files_folder, is_prepared, records_in, runs_in


def _slot_of(name: bytes) -> bytes:
    """Return the slot that a name among a run's files belongs to; nothing for what is tried out there."""
    for prefix in (COMING_IN, COMING_OUT, REST):
        name = name.removeprefix(prefix)
    return name


def strays_in(files: int, records: Callable[[], list[Record]], slots: Callable[[], Container[bytes]]) -> list[bytes]:
    """Return the names in the open folder of a run's files that neither journal nor ledger knows: lines are
    damaged, or somebody put them there.

    Parameters
    ----------
    records
        Gives what the journal tells.
    slots
        Gives the names of slots that the ledger knows; asked only where anything lies here.
    """
    names = [name for name in map(os.fsencode, os.listdir(files)) if name not in PROBES]
    known = slots() if names else ()
    if all(_slot_of(name) in known for name in names):  # as in nearly every fold
        return []
    told = {os.fsencode(record.file.slot) for record in records() if isinstance(record, Going)}
    unknown = (name for name in names if _slot_of(name) not in told and _slot_of(name) not in known)
    return sorted(name for name in unknown if not is_prepared(files, name, records))


def stray_files(place: bytes, known: Callable[[str], Container[bytes]]) -> list[bytes]:
    """Return the paths of the files in the fold of a place that no journal names, and the ledger does not either.

    Nothing is written: a drive may be write-protected.

    Parameters
    ----------
    known
        Gives the slots that the ledger knows of a run, by its key.
    """
    found = []
    with suppress(OSError):
        for key in runs_in(place):
            above = files_folder(place, key)
            with suppress(OSError), ExitStack() as opened:
                run = open_top(os.path.dirname(above))
                opened.callback(os.close, run)
                files = open_in(run, FILES, FOLDER)
                opened.callback(os.close, files)
                names = strays_in(files, partial(records_in, run, place), partial(known, key))
                found += [os.path.join(above, name) for name in names]
    return found
