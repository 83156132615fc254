"""Whether two files are alike now: both read, printed and compared then and there, nothing remembered is believed."""

from collections.abc import Callable, Iterator, Mapping, Sequence
from contextlib import contextmanager
from typing import NamedTuple

from foldkeep.model import visible
from foldkeep.model.work import reason_of
from foldkeep.signals import FILM_PRINT, PHOTO_PRINT, SOUND_PRINT, Agreement, Apart, Extractor, Medium, NotRead
from foldkeep.signals.decoded import Finding, Form
from foldkeep.stock import KnownPrint
from foldkeep.storage.local.reading import Stamp, digest_of, facts_at, opened

from .frames import FilmPair, Sureness, compared, like_films
from .groups import Likeness
from .pictures import like_pictures
from .sounds import like_sounds

Printer = Callable[[Extractor, Medium], KnownPrint]
"""Returns the print that an extractor makes of a file."""

_WORDS = {"photo": "pictures", "video": "films", "audio": "sounds"}


class NotAlike(Exception):
    """Two files are not alike, or that cannot be found out now; the text says why."""


class Measured(NamedTuple):
    """Likeness of two files, numbers 0 and 1 of the pair, that was measured now, with their prints."""

    pair: Likeness
    prints: tuple[KnownPrint, KnownPrint]


def alike_now(spare: Medium, keeper: Medium) -> Measured:
    """Measure two files of one kind, whose digests are known, and return how they are alike.

    Raises
    ------
    NotAlike
        If they are not, one of them does not have the content that its digest says, or it cannot be read.
    """
    if spare.kind != keeper.kind or spare.kind not in _WORDS:
        raise NotAlike(f"only two pictures, two films or two sounds can be alike, and its keeper is {keeper.kind}")
    with _unchanged(spare, keeper) as helper:
        found = measured(spare, keeper, _fresh(helper), helper)
    if found is None:
        raise NotAlike(f"measured now, the two {_WORDS[spare.kind]} are not alike: {visible(keeper.path)}")
    return found


class DecodedNow(NamedTuple):
    """What two files were found to decode to, now.

    Attributes
    ----------
    what
        That, in words.
    more
        What the one that is to go has beside that and its keeper has not, in words.
    """

    what: str
    more: tuple[str, ...]


def decoded_now(spare: Medium, keeper: Medium) -> DecodedNow | None:
    """Decode two files, whose digests are known, and return what both decode to; None if that is not the same.

    Raises
    ------
    NotAlike
        If one of them does not have the content that its digest says, or it cannot be read.
    """
    with _unchanged(spare, keeper) as helper:
        if not (form := _form(helper, spare)) or form != _form(helper, keeper):
            return None
        known = [helper.decoded(file.path, file.size) for file in (spare, keeper)]
    if any("none" in each for each in known):
        return None
    mine, its = map(Finding.from_known, known)
    more = (f"{name} ({value})" for name, value in mine.more.items() if its.more.get(name) != value)
    return DecodedNow(mine.what, tuple(more)) if mine.agrees(its) else None


def _form(helper: Apart, file: Medium) -> str:
    form = helper.form(file.path)
    return Form.read(form).key if form else ""


@contextmanager
def _unchanged(*files: Medium) -> Iterator[Apart]:
    """Have files read by a helper; raise NotAlike if they cannot be read, or are not what they are known as."""
    try:
        stamps = [Stamp.of(facts_at(file.path)) for file in files]
        with Apart() as helper:
            yield helper
        _check_contents(files, stamps)
    except (NotRead, OSError) as error:
        raise NotAlike(f"likeness cannot be measured now: {reason_of(error)}") from error


def _fresh(helper: Apart) -> Printer:
    return lambda extractor, file: helper.print(extractor, file.path, file.size)


def _check_contents(files: Sequence[Medium], stamps: Sequence[Stamp]) -> None:
    """Raise NotAlike unless what was measured is what the digests say, and stayed so all the while."""
    for file, stamp in zip(files, stamps, strict=True):
        with opened(file.path) as descriptor:
            digest = digest_of(descriptor, file.size)[0]
        if digest != file.digest:
            raise NotAlike(f"its content is not what the docket says: {visible(file.path)}; scan again")
        if Stamp.of(facts_at(file.path)) != stamp:
            raise NotAlike(f"changed while likeness was measured: {visible(file.path)}")


def measured(one: Medium, other: Medium, printer: Printer, helper: Apart) -> Measured | None:
    """Return how two files of one kind are alike by their prints, and by frames of films; None if they are not.

    Raises
    ------
    NotAlike
        If one of them has no print.
    NotRead
        If one of them cannot be read now.
    """
    return _MEASURERS[one.kind](one, other, printer, helper)


def _pictures(one: Medium, other: Medium, printer: Printer, helper: Apart) -> Measured | None:  # noqa: ARG001
    prints = _prints(printer, PHOTO_PRINT, one, other)
    found = like_pictures(prints, lambda number: prints[number].parts, lambda number: prints[number].detail)
    return Measured(found[0], prints) if found else None


def _sounds(one: Medium, other: Medium, printer: Printer, helper: Apart) -> Measured | None:  # noqa: ARG001
    prints = _prints(printer, SOUND_PRINT, one, other)
    found = like_sounds(prints)
    return Measured(found[0], prints) if found else None


def _films(one: Medium, other: Medium, printer: Printer, helper: Apart) -> Measured | None:
    prints = _prints(printer, FILM_PRINT, one, other)
    heard = [printer(SOUND_PRINT, file) for file in (one, other)]
    sounds = {(each.one, each.other): each for each in like_sounds(heard)}
    found: FilmPair | None = next(iter(like_films(prints, [each.print for each in heard], sounds)), None)
    if found is not None and not found.is_strong:
        answer = helper.films_agree(one.path, other.path, found.offset)
        found = compared(found, Agreement.of(answer)) if answer else found
    return None if found is None or found.sureness is Sureness.OPEN else Measured(found, prints)


def _prints(printer: Printer, extractor: Extractor, *files: Medium) -> tuple[KnownPrint, KnownPrint]:
    one, other = (printer(extractor, file) for file in files)
    for file, found in zip(files, (one, other), strict=True):
        if found.problem:
            raise NotAlike(f"likeness cannot be measured of {visible(file.path)}: {found.problem}")
    return one, other


_MEASURERS: Mapping[str, Callable[[Medium, Medium, Printer, Apart], Measured | None]] = {
    "photo": _pictures, "video": _films, "audio": _sounds
}  # fmt: skip
