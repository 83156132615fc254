"""Which files look or sound alike, by the prints that are kept of their contents."""

from collections.abc import Callable, Collection, Iterable, Mapping, Sequence
from typing import Protocol

from foldkeep.model import Facts, Filter, PathBytes, Progress, StockFile
from foldkeep.model.folder_names import dump_of
from foldkeep.scan import places_here
from foldkeep.scan.workers import Workers
from foldkeep.signals import FILM_PRINT, PHOTO_PRINT, SOUND_PRINT, Extractor, Measures, Medium
from foldkeep.stock import KnownPrint, Prints, Seen, Stock

from .films import Films
from .frames import FilmPair, Sureness, compared, like_films
from .groups import Content, Group, Judge, Likeness, by_sureness, grouped
from .photos import Photos
from .pictures import SEARCH, Pair, like_pictures
from .recordings import Recordings
from .sounds import SoundPair, like_sounds

STRENGTHS = ("strong", "fair")
"""How sure a likeness can be, the surest first."""


_Kept = Sequence[tuple[bytes, KnownPrint]]
"""Digests of contents with their prints, in order of digest."""


class FactsReader(Protocol):
    """Tells what files say of themselves."""

    def facts(self, file: Medium) -> Facts: ...


def alike(
    stock: Stock,
    prints: Mapping[Extractor, Prints],
    reader: FactsReader,
    measures: Measures,
    wanted: Filter | None = None,
    near: Sequence[bytes] = (),
    strength: str = "fair",
    workers: Workers | None = None,
    here: Collection[int] | None = None,
) -> list[Group]:
    """Return the groups of photos and films that look alike, and of what sounds so, the surest first.

    Parameters
    ----------
    prints
        Of photos, films and sounds, by what made them; what has none takes no part.
    reader
        Tells what files say of themselves.
    measures
        Compares frames of films.
    wanted
        Only groups of which a file fits.
    near
        Only groups that one of these contents, given by digest, belongs to.
    strength
        The least, one of `STRENGTHS`.
    workers
        Other machines that look for likely pairs of photos too.
    here
        Numbers of the places whose files can be read; None for those whose drives are here.
    """
    progress = measures.progress
    kept = {extractor: list(of_kind.all()) for extractor, of_kind in prints.items()}
    readable = places_here(stock) if here is None else here
    contents = _Contents(stock, reader, wanted.kinds if wanted else (), readable)
    sounds = like_sounds([known for _, known in kept.get(SOUND_PRINT, ())], progress)
    groups: list[Group] = []
    one_film: set[frozenset[bytes]] = set()

    def add(extractor: Extractor, pairs: Iterable[Likeness], judge: Judge) -> None:
        wide = [pair for pair in pairs if pair.is_strong or strength != STRENGTHS[0]]
        groups.extend(grouped(*contents.of(kept[extractor], wide), judge))

    if PHOTO_PRINT in kept:
        add(PHOTO_PRINT, _photo_pairs(kept[PHOTO_PRINT], prints[PHOTO_PRINT], progress, workers), Photos())
    if FILM_PRINT in kept:
        films = _film_pairs(kept[FILM_PRINT], kept.get(SOUND_PRINT, ()), sounds, contents, measures)
        one_film = {_digests(kept[FILM_PRINT], pair) for pair in films}
        add(FILM_PRINT, films, Films())
    if SOUND_PRINT in kept:
        # What two versions of a film sound like was told with them.
        heard = [pair for pair in sounds if _digests(kept[SOUND_PRINT], pair) not in one_film]
        add(SOUND_PRINT, heard, Recordings())
    if wanted:
        groups = [group for group in groups if any(map(wanted.takes, _files_of(group)))]
    if near:
        groups = [group for group in groups if any(file.digest in near for file in _files_of(group))]
    return by_sureness(groups)


def without_print(prints: Iterable[Prints]) -> int:
    """Return how many contents nothing tells from others: too plain, too short, silent or not to be decoded."""
    known = list(prints)
    failed = set[bytes]().union(*(each.without() for each in known))
    return len(failed - set[bytes]().union(*(each.digests() - each.without() for each in known)))


def count_unseen(
    stock: Stock,
    prints: Mapping[Extractor, Prints],
    places: Collection[int],
    kinds: frozenset[str],
    looked: Collection[PathBytes],
) -> int:
    """Return how many files of some kinds were never looked at: not read whole yet, or of a content without a print.

    What lies in folders that were `looked` into now counts as looked at; if none is named, all was.
    """
    if not looked:
        return 0
    unseen = set[bytes]()
    for extractor, kept in prints.items():
        everywhere, there = (
            {each.digest for each in stock.signals.contents(extractor.kinds & kinds, places, under)}
            for under in ((), looked)
        )
        unseen |= everywhere - there - kept.digests()
    unread, tried = (stock.contents.to_read_rest(places, kinds, under).files for under in ((), looked))
    return unread - tried + len(unseen)


def _photo_pairs(photos: _Kept, prints: Prints, progress: Progress, workers: Workers | None) -> list[Pair]:
    """Return the pairs of photos that show the same; only what is new is compared with all."""
    number_of = {digest: number for number, (digest, _) in enumerate(photos)}
    compared_before = prints.compared(SEARCH)
    new = [number for digest, number in number_of.items() if digest not in compared_before]
    parts, detail = (_by_number(photos, read) for read in (prints.parts, prints.detail))
    found = like_pictures([known for _, known in photos], parts, detail, progress, new, workers)
    told = ((photos[pair.one][0], photos[pair.other][0], pair.written()) for pair in found)
    prints.put_pairs(SEARCH, (photos[number][0] for number in new), told)
    known = [
        Pair.read(number_of[one], number_of[other], text)
        for one, other, text in prints.pairs(SEARCH)
        if one in number_of and other in number_of
    ]
    # Where nothing could be written, what was found now is all there is.
    return sorted(
        {(pair.one, pair.other): pair for pair in (*known, *found)}.values(), key=lambda each: (each.one, each.other)
    )


def _film_pairs(
    films: _Kept, heard: _Kept, sounds: Sequence[SoundPair], contents: "_Contents", measures: Measures
) -> list[FilmPair]:
    """Return the pairs of films that show the same; frames are compared where their prints do not tell."""
    number_of = {digest: number for number, (digest, _) in enumerate(films)}
    known: dict[tuple[int, int], SoundPair] = {}
    for pair in sounds:
        one, other = (number_of.get(heard[number][0]) for number in (pair.one, pair.other))
        if one is not None and other is not None:
            known[one, other] = pair  # both are in order of digest
    print_of = {digest: print_.print for digest, print_ in heard}
    heard_in = [print_of.get(digest, b"") for digest, _ in films]
    found = like_films([print_ for _, print_ in films], heard_in, known, measures.progress)
    asked = {key: pair for pair in found if not pair.is_strong and (key := contents.both_here(films, pair))}
    answers = measures.agreements({key: pair.offset for key, pair in asked.items()})
    told = {id(pair): compared(pair, answers[key]) for key, pair in asked.items() if key in answers}
    decided = (told.get(id(pair), pair) for pair in found)
    return [pair for pair in decided if pair is not None and pair.sureness is not Sureness.OPEN]


def _digests(kept: _Kept, pair: Likeness) -> frozenset[bytes]:
    return frozenset((kept[pair.one][0], kept[pair.other][0]))


def _by_number(kept: _Kept, read: Callable[[bytes], bytes]) -> Callable[[int], bytes]:
    return lambda number: read(kept[number][0])


class _Contents:
    """The contents of prints, with the files that the stock knows of them.

    Parameters
    ----------
    kinds
        Only files of these are compared; all if there are none.
    """

    def __init__(self, stock: Stock, reader: FactsReader, kinds: Collection[str], here: Collection[int]) -> None:
        self._stock, self._reader, self._kinds = stock, reader, frozenset(kinds)
        self._here = here
        self._files: dict[bytes, list[StockFile]] = {}

    def of(self, kept: _Kept, pairs: Iterable[Likeness]) -> tuple[list[Likeness], Callable[[int], Content]]:
        """Return the pairs of which the stock knows files, and what returns a content by its number."""

        def content(number: int) -> Content:
            digest, known = kept[number]
            first = self.files(digest)[0]
            medium = Medium(first.path, first.kind, first.size, first.modified_ns, first.digest)
            return Content(self.files(digest), self._reader.facts(medium), known)

        pairs = list(pairs)
        wanted = {kept[number][0] for pair in pairs for number in (pair.one, pair.other)} - self._files.keys()
        for digest, files in self._stock.listing.of_digests(wanted).items():
            self._files[digest] = self._fitting(files)
        known = [pair for pair in pairs if self.files(kept[pair.one][0]) and self.files(kept[pair.other][0])]
        return known, content

    def both_here(self, kept: _Kept, pair: Likeness) -> tuple[Seen, Seen] | None:
        """Return a file of each content of a pair that can be read now, else None."""
        found = [self.files(kept[number][0])[:1] for number in (pair.one, pair.other)]
        if not all(files and files[0].place.id in self._here for files in found):
            return None
        (one,), (other,) = found
        return (one.path, one.size, one.modified_ns), (other.path, other.size, other.modified_ns)

    def files(self, digest: bytes) -> list[StockFile]:
        """Return the files that have a content, the one that stands for it first."""
        if digest not in self._files:
            self._files[digest] = self._fitting(self._stock.listing.of_digest(digest))
        return self._files[digest]

    def _fitting(self, files: Iterable[StockFile]) -> list[StockFile]:
        fitting = [file for file in files if not self._kinds or file.kind in self._kinds]
        return sorted(fitting, key=lambda file: (file.place.id not in self._here, _dumped(file), file.path))


def _dumped(file: StockFile) -> int:
    """Return how many folders above a file are dumps: of several copies, the one that was sorted is shown."""
    return sum(bool(dump_of(step)) for step in file.path.split(b"/")[:-1])


def _files_of(group: Group) -> list[StockFile]:
    return [file for member in group.members for file in member.content.files]
