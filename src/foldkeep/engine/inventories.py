"""Inventories of many machines, opened to be asked as one."""

import glob
import os
from collections.abc import Iterator, Sequence
from contextlib import ExitStack, contextmanager
from typing import NamedTuple

from foldkeep.formats.columns import MEMORY_BYTES, convert, database, is_by_columns, plain_name, read_head
from foldkeep.model import Filter, Step, UnusableInput, visible
from foldkeep.model.machines import machine_name
from foldkeep.model.volumes import is_lasting_key
from foldkeep.model.work import Progress, no_progress
from foldkeep.stock import Stock
from foldkeep.stock.many import Columns, stock_of_many

SUFFIXES = (".inventory", ".parquet")
"""Endings of the names that inventories have in a folder of them."""

_ADVICE = "name a file that `foldkeep inventory save` wrote"


class Inventories(NamedTuple):
    """Inventories asked as one.

    Attributes
    ----------
    stock
        What they tell.
    machines
        The name of each machine among them, by its id.
    remarks
        A line for each place that does not count, since a newer inventory tells of it or of its volume; and one if
        contents are not known.
    without_uses
        Inventories that do not tell what projects and catalogues use.
    """

    stock: Stock
    machines: dict[str, str]
    remarks: list[str]
    without_uses: list[str]


@contextmanager
def open_inventories(
    named: Sequence[str], memory: int = MEMORY_BYTES, progress: Progress = no_progress
) -> Iterator[Inventories]:
    """Open inventories in either form, to be asked as one stock.

    Parameters
    ----------
    named
        Files; folders, for all in them whose names end as in `SUFFIXES`; or globs.
    memory
        Bytes that may be held in memory; more is put on the disk.

    Raises
    ------
    UnusableInput
        If one is no whole inventory, or a name stands for nothing.
    MissingExtra
        If the libraries for them are not installed.
    """
    with database(memory) as (connection, folder), read_by_duckdb(), ExitStack() as opened:
        found = sources_of(listed(named), folder, progress)
        stock = opened.enter_context(stock_of_many(found.sources, connection))
        without = [source.name for source in found.sources if not source.head.knows_uses]
        remarks = [*found.remarks, *(_unread(stock) if len(found.machines) > 1 else [])]
        yield Inventories(stock, found.machines, remarks, without)


class Sources(NamedTuple):
    """Inventories ready to be asked, the names of their machines by id, and a line for what to know of them."""

    sources: list[Columns]
    machines: dict[str, str]
    remarks: list[str]


def sources_of(paths: Sequence[str], folder: str, progress: Progress = no_progress) -> Sources:
    """Return inventories ready to be asked; those that are not by columns are written so in the database's own folder.

    Raises UnusableInput if one is no whole inventory.
    """
    found = []
    for number, path in enumerate(paths):
        progress(Step("Opening inventories", number, len(paths), "files"))
        found.append(_opened(path, folder))
    return Sources(*_told_apart(found))


@contextmanager
def read_by_duckdb() -> Iterator[None]:
    """Raise UnusableInput for what a file holds that cannot be read; wrong questions are faults of ours."""
    import duckdb

    try:
        yield
    except (duckdb.ProgrammingError, duckdb.OutOfMemoryException, duckdb.IOException):
        raise
    except duckdb.Error as error:
        why = visible(str(error).partition("\n")[0])
        raise UnusableInput(f"an inventory holds what makes no sense: {why}", "save it again") from error


def _unread(stock: Stock) -> list[str]:
    """Return what to say of files whose contents nobody knows, so that copies of them elsewhere are not found."""
    files = sum(each.files for each in stock.holdings.unread(Filter()))
    if not files:
        return []
    return [
        f"{files:,} {'file was' if files == 1 else 'files were'} never read whole, so copies elsewhere are not known;"
        " on that machine: foldkeep scan --read-all"
    ]


def is_of_columns(word: str) -> bool:
    """Tell whether a word stands for one inventory by columns, or is a glob that finds inventories."""
    if os.path.isfile(word):
        return is_by_columns(word)
    return not os.path.exists(word) and any(path.endswith(SUFFIXES) for path in glob.glob(word, recursive=True))


def listed(named: Sequence[str]) -> list[str]:
    """Return the files that names of files, folders and globs stand for, each once; raise UnusableInput for none."""
    found: list[str] = []
    for word in named:
        if os.path.isdir(word):
            inside = sorted(entry.path for entry in os.scandir(word) if entry.name.endswith(SUFFIXES))
        else:
            inside = [word] if os.path.exists(word) else sorted(glob.glob(word, recursive=True))
        if not inside:
            raise UnusableInput(f"there is no inventory {visible(word)}", _ADVICE)
        found += inside
    by_file = {os.path.realpath(path): path for path in reversed(found)}
    return [path for path in dict.fromkeys(found) if by_file[os.path.realpath(path)] == path]


def _opened(path: str, folder: str) -> Columns:
    """Return an inventory by columns: as it is, or written so in the database's own folder."""
    name = machine_name(os.path.splitext(os.path.basename(path))[0])
    if is_by_columns(path):
        return Columns(plain_name(path, folder), read_head(path), shown=path)
    converted = os.path.join(folder, f"converted-{len(os.listdir(folder))}.parquet")
    convert(path, converted, name)
    return Columns(converted, read_head(converted, path), shown=path)


def _told_apart(found: Sequence[Columns]) -> tuple[list[Columns], dict[str, str], list[str]]:
    """Return inventories with different names for their machines, and each place and volume in the newest one alone."""
    names = _names_of(found)
    by_age = sorted(found, key=lambda source: -source.head.saved_ns)
    places: dict[tuple[str, bytes], Columns] = {}
    volumes: dict[str, Columns] = {}
    for source in by_age:
        for place in source.head.places:
            places.setdefault((_key_of(source), place.path), source)
            if is_lasting_key(place.volume_key):
                volumes.setdefault(place.volume_key, source)
    sources, remarks = [], []
    for source in found:
        kept = []
        for place in source.head.places:
            newest = places[_key_of(source), place.path]
            elsewhere = volumes.get(place.volume_key, source)
            if newest is not source:
                other, what = newest, visible(place.label)
            elif _key_of(elsewhere) != _key_of(source):
                other, what = elsewhere, f"the volume of {visible(place.label)}"
            else:
                kept.append(place)
                continue
            remarks.append(
                f"{visible(place.label)} in {visible(source.name)} does not count:"
                f" {visible(other.name)} tells of {what} too, and is newer."
            )
        wished, name = source.head.machine.name, names[_key_of(source)]
        if wished != name:
            remarks.append(
                f"Two machines are called {visible(wished)}; that of {visible(source.name)} is {name} here. Before it"
                " vouches for anything, give it a name of its own: foldkeep inventory save FILE --machine NAME"
            )
        head = source.head._replace(places=kept)
        sources.append(source._replace(head=head, machine=names[_key_of(source)] if len(names) > 1 else ""))
    return sources, names, remarks


def _key_of(source: Columns) -> str:
    """Return what tells the machine of an inventory from others; of one that tells no machine, its name."""
    machine = source.head.machine
    return machine.id or f"only called {machine.name}"


def _names_of(found: Sequence[Columns]) -> dict[str, str]:
    """Return a name for each machine that no other has: of several with one name, some get a number."""
    names: dict[str, str] = {}
    for source in found:
        if _key_of(source) not in names:
            wished, number = source.head.machine.name, 2
            free = wished
            while free in names.values():
                free, number = f"{wished[:59]}-{number}", number + 1
            names[_key_of(source)] = free
    return names
