"""All that is known of one file, or of every copy in a set."""

import os
import re
import stat
from typing import NamedTuple

from foldkeep.model import Facts, StockFile, UnusableInput, visible
from foldkeep.model.companions import are_a_pair
from foldkeep.model.kinds import kind_of, kind_of_all
from foldkeep.signals import CopyState, MediaReader, Medium, copy_states
from foldkeep.signals.essences import ESSENCE
from foldkeep.stock import Stock
from foldkeep.storage.local.drives import answers, real_name
from foldkeep.storage.local.reading import FILE, digest_of, facts_at, modified_ns, open_path

from .place_groups import PlaceGroups

_SET = re.compile(r"s([0-9a-f]{16})(-[\w.-]+)?")


class KnownCopy(NamedTuple):
    """One file.

    Attributes
    ----------
    file
        As the stock has it; None if it lies in no place, or was not scanned yet.
    volume
        What a person knows the volume by that it lies on; empty if the stock does not know the file.
    pairs
        Names of files beside it that are the other half of a raw file and its JPEG.
    """

    path: bytes
    file: StockFile | None
    look: CopyState
    volume: str = ""
    pairs: tuple[bytes, ...] = ()


class Details(NamedTuple):
    """Details of a file, or of the copies of a set.

    Attributes
    ----------
    set
        Name of the set; empty for a file without copies.
    facts
        What the content says of itself.
    elsewhere
        Paths of other files with the same content, where one file was asked for.
    essence
        Name of the set of files with its essence but other words, as far as that is known; empty if there are none.
    other_words
        Paths of those of other contents.
    archived
        Packages that hold the content, each with the path that it was archived from.
    """

    set: str
    kind: str
    size: int
    digest: bytes | None
    facts: Facts
    copies: tuple[KnownCopy, ...]
    elsewhere: tuple[bytes, ...] = ()
    archived: tuple[tuple[bytes, bytes], ...] = ()
    essence: str = ""
    other_words: tuple[bytes, ...] = ()


def details(stock: Stock, reader: MediaReader, word: str) -> Details:
    """Return what is known of a file or a set.

    Parameters
    ----------
    word
        A path, or a set as `duplicates` and dockets name it.

    Raises
    ------
    UnusableInput
        If there is no such file or set, or the share that the file lies on does not answer.
    """
    if not answers(os.fsencode(word)):
        raise UnusableInput(
            f"the share or program behind {visible(word)} does not answer", "see to it, or see foldkeep list"
        )
    path = real_name(os.fsencode(word))
    known = stock.listing.at(path)
    found = _SET.fullmatch(word)
    if found and known is None and not os.path.lexists(path):
        return _of_set(stock, reader, word, bytes.fromhex(found[1]), found[2] or "")
    if known is None:
        return _of_stranger(reader, word, path)
    copies = stock.listing.of_digest(known.digest) if known.digest else []
    others = tuple(file.path for file in copies if file.path != path)
    name = f"s{known.digest.hex()[:16]}" if known.digest and others else ""
    essence, other_words = _other_words(stock, known)
    return Details(
        name, known.kind, known.size, known.digest, reader.facts(medium(known)), _copies(stock, [known]),
        tuple(others), _archived(stock, known), essence, other_words,
    )  # fmt: skip


def _other_words(stock: Stock, file: StockFile) -> tuple[str, tuple[bytes, ...]]:
    """Return the name of the set with the essence of a file, and the paths in it with another content."""
    known = stock.signals.of(file.digest, ESSENCE.name, ESSENCE.version) if file.digest else None
    essence = bytes.fromhex(known.values.get("essence", "")) if known else b""
    having = stock.essences.paths_of(ESSENCE.name, ESSENCE.version, essence) if essence else []
    same = set(stock.sets.paths_of(file.digest)) if file.digest else set()
    others = tuple(path for path in having if path not in same)
    return (f"e{essence.hex()[:16]}", others) if others else ("", ())


def _archived(stock: Stock, file: StockFile) -> tuple[tuple[bytes, bytes], ...]:
    """Return the packages that hold a content; a file that needed no digest so far is read if one may."""
    digest = file.digest
    if digest is None and stock.archives.has_size(file.size):
        try:
            descriptor = open_path(file.path, FILE)
            try:
                digest = digest_of(descriptor, file.size)[0]
            finally:
                os.close(descriptor)
        except OSError:
            return ()
    if digest is None:
        return ()
    return tuple((archive.package, path) for archive, path in stock.archives.holding(digest))


def _of_set(stock: Stock, reader: MediaReader, word: str, digest: bytes, suffix: str) -> Details:
    files = stock.listing.of_digest(digest)
    if suffix:
        groups = PlaceGroups(stock, across=False), PlaceGroups(stock, across=True)
        files = [file for file in files if suffix in (each.of(file.place).suffix for each in groups)]
    if not files:
        raise UnusableInput(f"there is no set {word} and no file of that name", "see foldkeep duplicates")
    first = files[0]
    here = next((file for file in files if os.path.lexists(file.path)), first)
    return Details(
        word, kind_of_all(file.kind for file in files), first.size, first.digest, reader.facts(medium(here)),
        _copies(stock, files), archived=_archived(stock, first),
    )  # fmt: skip


def _of_stranger(reader: MediaReader, word: str, path: bytes) -> Details:
    try:
        facts = facts_at(path)
    except OSError as error:
        raise UnusableInput(
            f"there is no file {visible(word)}, and the stock knows none there", "see foldkeep list --name GLOB"
        ) from error
    if not stat.S_ISREG(facts.st_mode):
        raise UnusableInput(f"{visible(word)} is no regular file", "for a folder, see foldkeep space FOLDER")
    kind = kind_of(os.path.basename(path))
    copy = KnownCopy(path, None, copy_states([path])[0], pairs=_pairs(path))
    return Details(
        "",
        kind,
        facts.st_size,
        None,
        reader.facts(Medium(path, kind, facts.st_size, modified_ns(facts), None)),
        (copy,),
    )


def medium(file: StockFile) -> Medium:
    """Return a file of the stock as those know it who read media."""
    return Medium(file.path, file.kind, file.size, file.modified_ns, file.digest)


def _copies(stock: Stock, files: list[StockFile]) -> tuple[KnownCopy, ...]:
    looks, volumes = copy_states([file.path for file in files]), stock.places.volumes()
    return tuple(
        KnownCopy(file.path, file, seen, volumes[file.volume].name, _pairs(file.path))
        for file, seen in zip(files, looks, strict=True)
    )


def _pairs(path: bytes) -> tuple[bytes, ...]:
    folder, name = os.path.split(path)
    try:
        names = sorted(os.listdir(folder))
    except OSError:
        return ()
    return tuple(other for other in names if other != name and are_a_pair(other, name))
