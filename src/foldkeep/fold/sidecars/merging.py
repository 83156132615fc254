"""What was said of spares, by their sidecars and by catalogues, is said of their keepers."""

import os
from collections import defaultdict
from collections.abc import Callable, Container, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import NamedTuple

from blake3 import blake3

from foldkeep.formats.sidecars import LARGEST_SIDECAR, Xmp, parse_xmp, says_more, united, with_words, words_lost
from foldkeep.model import Action, DocketRow, Method, Place, visible
from foldkeep.model.companions import belongs_to, is_sidecar, stem_of
from foldkeep.model.kinds import suffix_of
from foldkeep.model.names import innermost
from foldkeep.model.remote import is_remote
from foldkeep.storage.local.reading import FILE, NotSafe, Stamp, modified_ns, open_in, open_path

from ..disk_view import Look
from ..runs.plan import Item, Merge, Merged, Plan, Source, beside_spare
from ..verify import Witness

Embedded = Callable[[bytes, bytes | None], Xmp]


class Sidecar(NamedTuple):
    """A file that should be an XMP sidecar: where it lies, its bytes, and what it says; None if it is no XMP."""

    path: bytes
    document: bytes
    words: Xmp | None


def read_sidecar_in(folder: int, name: bytes) -> bytes:
    """Return the bytes of a sidecar in an open folder; OSError if it cannot be read, NotSafe if it is too large."""
    with open(open_in(folder, name), "rb") as stream:
        document = stream.read(LARGEST_SIDECAR + 1)
    if len(document) > LARGEST_SIDECAR:
        raise NotSafe("too large for a sidecar")
    return document


class Said(NamedTuple):
    """A sidecar that says all that another does: its digest, itself, and the texts of the other that it words
    otherwise.
    """

    digest: bytes
    witness: Witness
    lost: tuple[str, ...]


def check_said(path: bytes, folder: int, name: bytes) -> Said:
    """Return the sidecar at `path`, which must say now all that one in an open folder does, read now.

    Raises NotSafe if it does not, or one of them cannot be read.
    """
    try:
        with open(open_path(path, FILE), "rb") as stream:
            stamp = Stamp.of(os.fstat(stream.fileno()))
            stays = stream.read(LARGEST_SIDECAR)
        goes = read_sidecar_in(folder, name)
        more = says_more(goes, stays)
        lost = words_lost(goes, stays)
    except (OSError, ValueError) as error:
        raise NotSafe(f"what it says is not in {visible(path)}: {error}") from error
    if more:
        raise NotSafe(f"it says something that {visible(path)} does not")
    return Said(blake3(stays).digest(), Witness(path, stamp), lost)


def merge_words(merge: Merge, path: bytes, former: bytes | None, went: Container[bytes]) -> tuple[Merged, bytes | None]:
    """Put together what a sidecar is to say.

    Parameters
    ----------
    path
        Of the sidecar.
    former
        What is there now; None if nothing is.
    went
        The spares that have gone.

    Returns
    -------
    What is new, and the sidecar as it is to be: None where nothing is new.

    Raises
    ------
    ValueError
        If what is there cannot be added to.
    """
    total, merged = _put_together(merge, path, former, went)
    if not merged.gained.facts:
        return merged, None
    if former is None and merge.base and merge.base[0] in went:
        former = merge.base[1]
    return merged, with_words(former, total)


def _put_together(merge: Merge, path: bytes, former: bytes | None, went: Container[bytes]) -> tuple[Xmp, Merged]:
    mine, _ = united(Xmp() if former is None else parse_xmp(former), [(merge.keeper, merge.own)])
    total, differences = united(mine, [(each.spare, each.words) for each in merge.sources if each.spare in went])
    there, _ = united(mine, [(merge.keeper, merge.embedded)])

    gained = Xmp(
        tuple(word for word in total.keywords if word not in there.keywords),
        None if mine.rating or total.rating == there.rating else total.rating,
        None if mine.title or total.title == there.title else total.title,
        None if mine.description or total.description == there.description else total.description,
    )
    total, _ = united(total, [(merge.keeper, merge.embedded)])
    return total, Merged(path, merge.keeper, gained, tuple(differences))


@dataclass
class _Group:
    """Words that one sidecar is to have; `row` is that of the first spare, `digest` the keeper's content."""

    keeper: bytes
    row: DocketRow
    place: Place
    former: Sidecar | None
    digest: bytes | None
    own: Xmp = field(default_factory=Xmp)
    sources: list[Source] = field(default_factory=list)


class Merger:
    """Finds out what has to be said of keepers once their spares have gone.

    Parameters
    ----------
    described
        What catalogues say of files, by path.
    embedded
        Tells what the file at a path, with its digest where that is known, says of itself.
    """

    def __init__(
        self, plan: Plan, places: Sequence[Place], look: Look, described: Mapping[bytes, Xmp], embedded: Embedded
    ) -> None:
        self._plan = plan
        self._places = {place.path: place for place in places}
        self._look = look
        self._described = described
        self._embedded = embedded
        self._going = {item.row.path: item for item in plan.items}
        self._companions: dict[bytes, list[Item]] = defaultdict(list)
        for item in plan.items:
            if item.master and not item.keepers and _is_xmp(item.row.path):
                self._companions[item.master].append(item)

    def add(self) -> None:
        """Add to the plan what is to be written, and let sidecars go along whose words stay."""
        groups: dict[bytes, _Group] = {}
        for item in self._plan.spares:
            if (item.staying or item.alike) and not is_sidecar(item.row.path.rpartition(b"/")[2]):
                self._note(item, groups)
        changed: dict[bytes, Item] = {}
        for path, group in groups.items():
            changed |= self._finish(path, group)
        for items in self._plan.by_place.values():
            items[:] = [changed.get(item.row.path, item) for item in items]

    def _note(self, item: Item, groups: dict[bytes, _Group]) -> None:
        """Note what is said of a spare, if anything is, with what the sidecar of its keeper is to say."""
        spare, keeper = item.row.path, (item.staying or [item.source])[0]
        is_other = bool(item.essence or item.alike)  # of a copy of the keeper, its content says the same
        if is_remote(spare) or is_remote(keeper):  # sidecars on servers are not written
            return
        words = self._united(spare, self._sidecars(spare))
        if is_other:
            words, _ = united(words, [(spare, self._embedded(spare, item.row.digest))])
        beside = self._companions.get(spare, [])
        if not (words.facts or beside):
            return
        there = [each for each in self._sidecars(keeper) if each.path not in self._going]
        path = there[0].path if there else beside[0].target if beside else self._new_name(keeper)
        if not path:
            return
        if path not in groups:
            place = self._places[innermost(self._places, keeper) or b""]
            groups[path] = _Group(keeper, item.row, place, there[0] if there else None, item.row.digest)
        group = groups[path]
        group.own, _ = united(group.own, [(keeper, self._united(keeper, there[1:]))])
        if is_other and item.source_facts:  # what the keeper says of itself is another thing here, and stays
            group.digest = item.source_facts.digest
            group.own, _ = united(group.own, [(keeper, self._embedded(keeper, group.digest))])
        group.sources.append(Source(spare, words))

    def _united(self, path: bytes, sidecars: Sequence[Sidecar]) -> Xmp:
        """Return what sidecars, and after them catalogues, say of a file."""
        said = [(each.path, each.words) for each in sidecars if each.words]
        if not said and path not in self._described:  # as of nearly every file
            return Xmp()
        return united(Xmp(), [*said, (path, self._described.get(path, Xmp()))])[0]

    def _sidecars(self, path: bytes) -> list[Sidecar]:
        """Return the XMP sidecars that lie beside a file now, in order of name."""
        folder, name = os.path.split(path)
        found = []
        for other in self._look.kin_of(path, stem_of(name)):
            if _is_xmp(other) and belongs_to(other, name):
                sidecar = os.path.join(folder, other)
                try:
                    open_folder = self._look.folder_of(sidecar)
                    if open_folder:
                        document = read_sidecar_in(*open_folder)
                        found.append(Sidecar(sidecar, document, _words_of(document)))
                except (OSError, NotSafe):
                    continue
        return found

    def _new_name(self, keeper: bytes) -> bytes:
        """Return what a new sidecar is called: as the file, unless another has that stem; empty if that is taken."""
        folder, name = os.path.split(keeper)
        stem = stem_of(name)
        kin = [other for other in self._look.kin_of(keeper, stem) if stem_of(other) == stem and other != name]
        path = os.path.join(folder, (name if kin else stem) + b".xmp")
        return b"" if self._look.facts(path) else path

    def _finish(self, path: bytes, group: _Group) -> dict[bytes, Item]:
        """Plan what is written at `path`, and return the companions that go along, by path."""
        beside = [item for source in group.sources for item in self._companions.get(source.spare, ())]
        went = {source.spare for source in group.sources}
        merge = Merge(group.keeper, group.own, tuple(group.sources))
        former = group.former.document if group.former else None
        try:
            if former is None and beside and (begun := self._document(beside[0])) is not None:
                # It is moved beside the keeper as it is, unless there is more to say than it does.
                _, merged = _put_together(merge, path, begun, went)
                if not merged.gained.facts:
                    self._note_differences(merged)
                    return self._along(beside[1:], path, begun)
                merge = replace(merge, base=(beside[0].master, begun))
            merged, document = merge_words(merge, path, former, went)
            if document is not None and former is None and merge.base is None:
                merge = replace(merge, embedded=self._embedded(group.keeper, group.digest))
                merged, document = merge_words(merge, path, former, went)
            if document is None:
                self._note_differences(merged)
                return self._along(beside, path, former)
            self._plan.merged.append(merged)
        except ValueError:
            if not any(source.words.facts for source in group.sources):
                return {}
            document = None  # why, is said when its turn comes
        self._plan.by_place.setdefault(group.place.path, []).append(self._item(path, group, merge))
        return self._along(beside, path, document)

    def _note_differences(self, merged: Merged) -> None:
        if merged.differences:
            self._plan.merged.append(merged)

    def _item(self, path: bytes, group: _Group, merge: Merge) -> Item:
        facts = self._look.facts(path) if group.former else None
        size, when_ns = (facts.st_size, modified_ns(facts)) if facts else (0, 0)
        row = DocketRow(group.row.set, Action.FOLD, path, size, "sidecar", when_ns, None, "to say what spares' do")
        return Item(row, group.place, [], Method.REWRITE if group.former else Method.WRITE, merge=merge)

    def _along(self, beside: list[Item], path: bytes, document: bytes | None) -> dict[bytes, Item]:
        """Return the companions whose words are all in a sidecar that stays, as they go along with their spares."""
        found = {}
        for item in beside:
            own = self._document(item)
            if own is None or document is None:
                continue
            try:
                more = says_more(own, document)
            except ValueError:
                continue
            if not more:
                target = beside_spare(self._going[item.master], item.row.path)
                reason = f"what it says is in {visible(path)}"
                # Its bytes are nowhere else, so it waits in the fold even where its spare goes for good.
                method = self._plan.method if self._plan.method.comes_back else Method.FOLD
                row = item.row._replace(reason=reason)
                found[item.row.path] = replace(item, row=row, method=method, target=target, words_in=path)
        return found

    def _document(self, item: Item) -> bytes | None:
        """Return the bytes of a companion, if it is XMP."""
        own = next((each for each in self._sidecars(item.master) if each.path == item.row.path), None)
        return own.document if own and own.words else None


def _is_xmp(path: bytes) -> bool:
    return suffix_of(path.rpartition(b"/")[2]) == "xmp"


def _words_of(document: bytes) -> Xmp | None:
    try:
        return parse_xmp(document)
    except ValueError:
        return None
