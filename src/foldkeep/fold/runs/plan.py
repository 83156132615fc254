"""What a docket comes to, checked row against row before anything is looked at on the disk."""

import os
from collections import defaultdict
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field, replace
from enum import IntEnum

from foldkeep.formats.sidecars import Difference, Xmp
from foldkeep.keep.dockets import AlikeKeeper, Derived, EssenceKeeper
from foldkeep.model import Action, DocketRow, Method, Place, UnusableInput, visible
from foldkeep.model.grades import Grade
from foldkeep.model.machines import is_elsewhere, split_machine
from foldkeep.model.names import FOLD_NAME, innermost
from foldkeep.model.remote import is_remote, path_on_server
from foldkeep.model.runs import SourceFacts
from foldkeep.model.work import reason_of
from foldkeep.storage.remote import remote_storage

from ..elsewhere.proofs import Proof, Proofs

_UNPROVED = "nothing shows now that it can be made again from what its set keeps; scan, and look with foldkeep caches"
_AGAIN = "make the docket again with: foldkeep keep -o docket.csv"


class Stage(IntEnum):
    """In which order files are worked on, in all places: what is said of a spare goes over once that has gone."""

    SPARES = 1
    WORDS = 2
    SIDECARS = 3
    LITTER = 4


@dataclass(frozen=True, slots=True)
class Source:
    """Words on a spare, of its sidecars and of catalogues."""

    spare: bytes
    words: Xmp


@dataclass(frozen=True, slots=True)
class Merge:
    """Words that a sidecar beside a keeper is to have as well.

    Attributes
    ----------
    keeper
        The file that it belongs to.
    own
        What is said of that elsewhere than in this sidecar.
    sources
        Those of them count whose spare has gone.
    base
        A spare, and the sidecar of it that a new one begins as; None where there is one already, or none at all.
    embedded
        What the content says of itself, for a sidecar that begins with nothing: programs may look at that alone.
    """

    keeper: bytes
    own: Xmp
    sources: tuple[Source, ...]
    base: tuple[bytes, bytes] | None = None
    embedded: Xmp = field(default_factory=Xmp)


@dataclass(frozen=True, slots=True)
class Item:
    """A file to be worked on.

    Attributes
    ----------
    row
        Its docket row; one of our own making for what goes along with a spare.
    keepers
        The copies that stay, the best first. Without any, nothing vouches for the file.
    method
        What is done to it.
    target
        Where it is to be moved or copied to; empty for every other method.
    master
        Path of the file that it goes along with; it stays where that stays.
    source
        Path of the file that this one can be made again from, or is alike, which vouches for it; else empty.
    source_facts
        What that is, as the docket has it.
    refusal
        Why it stays, where that is known before it is looked at; else empty.
    package
        Path of the package that has it, or everything that it can be made again from; else empty.
    words_in
        Path of the sidecar that must say what this one says, then and there; empty for all but sidecars.
    merge
        What is written into a sidecar at the row's path, instead of anything being done to a spare.
    litter
        Whether it goes only because its folder is empty but for it.
    alike
        How it is alike its source, if it goes for that and no copy of it stays.
    essence
        That its source has its essence, if it goes for that.
    good, expected
        Of a damaged file: copies that have the content it had, and the digest of that.
    proof
        What another machine vouches for, where all copies that stay are on others.
    """

    row: DocketRow
    place: Place
    keepers: list[bytes]
    method: Method = Method.FOLD
    target: bytes = b""
    master: bytes = b""
    source: bytes = b""
    source_facts: SourceFacts | None = None
    refusal: str = ""
    package: bytes = b""
    words_in: bytes = b""
    merge: Merge | None = None
    litter: bool = False
    alike: AlikeKeeper | None = None
    essence: EssenceKeeper | None = None
    good: list[bytes] = field(default_factory=list)
    expected: bytes = b""
    proof: Proof | None = None

    @property
    def staying(self) -> list[bytes]:
        """The files that stay and have its content or its essence, the best first."""
        return self.keepers or ([self.source] if self.essence else [])

    @property
    def is_read(self) -> bool:
        """Whether its content is read before anything is done to it."""
        return bool(self.keepers or self.words_in) or not (self.master or self.litter)

    @property
    def is_derived(self) -> bool:
        """Whether nothing has its content, but it can be made again, or what stays is alike."""
        return bool(self.source or (self.package and self.source_facts))

    @property
    def is_named(self) -> bool:
        """Whether the docket names it."""
        return not (self.master or self.litter or self.merge)

    @property
    def stage(self) -> Stage:
        """When it is worked on."""
        if self.merge:
            return Stage.WORDS
        if self.words_in:
            return Stage.SIDECARS
        return Stage.LITTER if self.litter else Stage.SPARES


@dataclass(frozen=True, slots=True)
class Merged:
    """A sidecar with what it says now.

    Attributes
    ----------
    path, keeper
        The sidecar, and the file that it belongs to.
    gained
        What was not said of that before.
    differences
        What the keeper and a spare say differently; the keeper's stays.
    """

    path: bytes
    keeper: bytes
    gained: Xmp
    differences: tuple[Difference, ...]


@dataclass
class Plan:
    """Plan of a run: the files to work on by place, in order of their paths.

    `staying` has the paths that the docket says are to stay; `merged` what sidecars are expected to say as well; `into`
    the folder that files are moved into, with its device; `trusts_server` whether what a server states of a content
    stands for reading it there.
    """

    docket: str
    method: Method = Method.FOLD
    staying: frozenset[bytes] = frozenset()
    by_place: dict[bytes, list[Item]] = field(default_factory=dict)
    merged: list[Merged] = field(default_factory=list)
    into: tuple[bytes, int] | None = None
    trusts_server: bool = False

    @property
    def items(self) -> list[Item]:
        """All the files to work on."""
        return [item for items in self.by_place.values() for item in items]

    @property
    def going(self) -> list[Item]:
        """Those of them that go from where they are."""
        return [item for item in self.items if not item.merge]

    @property
    def spares(self) -> list[Item]:
        """Those of them that the docket names."""
        return [item for item in self.items if item.is_named]

    @property
    def bytes(self) -> int:
        """The sum of the sizes of all."""
        return sum(item.row.size for item in self.items)


def make_plan(
    docket: str,
    rows: list[DocketRow],
    places: list[Place],
    method: Method = Method.FOLD,
    into: bytes = b"",
    *,
    allow_last_copy: bool = False,
    derived: Mapping[bytes, Derived] | None = None,
    alike: Mapping[bytes, AlikeKeeper] | None = None,
    essences: Mapping[bytes, EssenceKeeper] | None = None,
    proofs: Proofs | None = None,
) -> Plan:
    """Check a docket's rows against each other and against the places.

    Parameters
    ----------
    docket
        Where the docket lies; only to name it.
    into
        Absolute path of the folder that `Method.MOVE` moves to.
    allow_last_copy
        Let sets go of which no copy stays.
    derived
        What of the docket's files are derived ones, found out now: no row is believed that.
    alike
        What of them may go though only something alike stays, measured now; None if the user did not say so.
    essences
        What of them has the essence of what stays, compared now.
    proofs
        What other machines vouch for, by content.

    Raises
    ------
    UnusableInput
        If a row's action is another method's, a file is to go and to stay at once, a set would keep no copy, or a
        file lies in no place, in a fold, or its path leads up.
    """
    check_actions(docket, rows, method)
    place_at = {place.path: place for place in places}
    places_of = {row.path: place_of(docket, row.path, place_at) for row in rows if not is_elsewhere(row.path)}
    going = {row.path for row in rows if row.action is Action.FOLD}
    staying = _staying(docket, rows, going)
    plan = Plan(docket, method, frozenset(path for paths in staying.values() for path in paths))
    if into:
        plan.into = (into, device_of(into))
    several = len({places_of[path].id for path in going}) > 1
    seen: set[bytes] = set()
    made = {row.path for row in rows if row.is_regenerable}
    row_at = {row.path: row for row in rows}
    for row in rows:
        if row.action is not Action.FOLD or row.path in seen:
            continue
        seen.add(row.path)
        # One file that can be made again does not vouch for another.
        stays = [path for path in staying[row.set] if not (row.is_regenerable and path in made)]
        # What is moved stays: a move into a folder that the user names takes no content away.
        if not stays and not allow_last_copy and method is not Method.MOVE:
            raise UnusableInput(
                f"{visible(docket)} keeps no copy in set {visible(row.set)}",
                "change one of its rows to keep, or say --allow-last-copy if none is to stay",
            )
        if row.is_regenerable and method.links:
            raise UnusableInput(
                f"{visible(row.path)} can be made again, but nothing has its content to be linked to",
                "use --method fold",
            )
        here = [path for path in stays if not is_elsewhere(path)]
        place = places_of[row.path]
        target = _target(into, place, row.path, several) if method is Method.MOVE else b""
        if stays and not here:
            item = _elsewhere_item(docket, Item(row, place, [], method, target), stays, proofs or {})
            plan.by_place.setdefault(place.path, []).append(item)
            continue
        stays = here
        if row.is_regenerable and stays:
            item = Item(row, place, [], method, target, source=stays[0], refusal=_UNPROVED)
            found = (derived or {}).get(row.path)
            if found is not None and found.source in stays:
                item = _derived_item(item, found, row_at[found.source])
        elif stays and essences and row.path in essences:
            item = _essence_item(docket, Item(row, place, stays, method, target), essences[row.path])
        elif stays and alike and row.path in alike:
            item = _alike_item(docket, Item(row, place, stays, method, target), alike[row.path])
        else:
            item = Item(row, place, stays, method, target)
        plan.by_place.setdefault(place.path, []).append(item)
    for items in plan.by_place.values():
        items.sort(key=lambda item: item.row.path)  # a folder after the other, so that each is opened once
    return plan


def device_of(into: bytes) -> int:
    """Return the device of a folder that files are to go into, 0 on a server; UnusableInput if it is not there."""
    if not is_remote(into):
        return os.stat(into).st_dev
    try:
        facts = remote_storage(into).facts(into)
    except OSError as error:
        raise UnusableInput(f"{visible(into)}: {reason_of(error)}", "see to it, or name another folder") from error
    if facts is None or not facts.is_folder:
        raise UnusableInput(f"{visible(into)} is no folder that is there", "make it, or name another one")
    return 0


def _elsewhere_item(docket: str, item: Item, stays: list[bytes], proofs: Proofs) -> Item:
    """Return the item of a file whose keepers are all on other machines; UnusableInput for a method but fold."""
    if item.method is not Method.FOLD:
        raise UnusableInput(
            f"{visible(docket)} has {visible(item.row.path)} go, of which all that stays is on another machine",
            f"use --method fold instead of {item.method}",
        )
    if item.row.is_regenerable or item.row.digest is None:
        return replace(item, refusal="nothing says what its keeper on another machine holds")
    proof = proofs.get(item.row.digest)
    if proof is None:
        machine = split_machine(stays[0])[0]
        return replace(
            item,
            refusal=f"its keeper is on {machine}, which did not vouch for it: there, foldkeep vouch DOCKET -o FILE;"
            " here, fold DOCKET --vouchers FILE",
        )
    return replace(item, proof=proof)


def _derived_item(item: Item, found: Derived, kept: DocketRow) -> Item:
    """Return the item of a derived file whose source is in its set, with what was found out of both."""
    if found.grade is Grade.PERHAPS:
        return replace(item, refusal=f"it may be anything: {found.missing}")
    if found.grade is Grade.LIKELY and item.method is Method.DELETE:
        return replace(item, refusal="it is only likely that it can be made again: fold it, look, then release it")
    digest = found.source_digest or kept.digest or b""
    facts = SourceFacts(kept.size, kept.modified_ns, digest, found.grade, found.recipe, found.made)
    row = item.row._replace(digest=found.made or item.row.digest)
    return replace(item, row=row, source=found.source, source_facts=facts, refusal="")


def _essence_item(docket: str, item: Item, found: EssenceKeeper) -> Item:
    """Return the item of a file whose keeper has other words; UnusableInput for a method that would lose its own."""
    if item.method.links or not item.method.comes_back:
        raise UnusableInput(
            f"{visible(docket)} has {visible(item.row.path)} go, in which other words are written than in what stays",
            f"use --method fold instead of {item.method}: its words are kept when it is released",
        )
    return replace(_by_keeper(item, found.keeper, Grade.ESSENCE), essence=found)


def _alike_item(docket: str, item: Item, found: AlikeKeeper) -> Item:
    """Return the item of a file of which no copy stays, with what was measured; UnusableInput for a method for good."""
    if found.keeper is None:
        return replace(item, refusal=found.refusal)
    if item.method.links or not item.method.comes_back:
        what = "decodes to the same as" if found.decoded else "is only alike"
        raise UnusableInput(
            f"{visible(docket)} has {visible(item.row.path)} go, which {what} what stays",
            f"use --method fold instead of {item.method}, look, and release it later",
        )
    grade = Grade.DECODED if found.decoded else Grade.ALIKE
    return replace(_by_keeper(item, found.keeper, grade), alike=found)


def _by_keeper(item: Item, kept: DocketRow, grade: Grade) -> Item:
    """Return the item of a file for which another content stands, as the docket has that."""
    facts = SourceFacts(kept.size, kept.modified_ns, kept.digest or b"", grade, "", item.row.digest or b"")
    return replace(item, keepers=[], source=kept.path, source_facts=facts)


def _target(into: bytes, place: Place, path: bytes, several: bool) -> bytes:
    """Return where a file goes: as it lay in its place, below the place's name where there are several."""
    below = os.path.relpath(path, place.path)
    return os.path.join(into, os.path.basename(place.path), below) if several else os.path.join(into, below)


def _staying(docket: str, rows: list[DocketRow], going: set[bytes]) -> dict[str, list[bytes]]:
    """Return the copies that stay of each set; a keeper before a copy that is merely left alone."""
    staying: dict[str, list[bytes]] = defaultdict(list)
    for row in rows:
        if row.action is not Action.FOLD:
            if row.path in going:
                raise UnusableInput(f"{visible(docket)} has {visible(row.path)} both staying and going", _AGAIN)
            at = 0 if row.action is Action.KEEP else len(staying[row.set])
            staying[row.set].insert(at, row.path)
    return staying


def place_of(docket: str, path: bytes, place_at: Mapping[bytes, Place]) -> Place:
    """Return the place that a file of a docket lies in; raise UnusableInput if it lies in none, or in a fold."""
    check_path(docket, path)
    top = innermost(place_at, path)
    if top is None:
        raise UnusableInput(f"{visible(docket)} names a file that lies in no place: {visible(path)}", _AGAIN)
    return place_at[top]


def check_path(docket: str, path: bytes) -> None:
    """Raise UnusableInput if a docket's path leads up, or into a fold."""
    steps = path_on_server(path) if is_remote(path) else path
    if not {FOLD_NAME, b"", b".", b".."}.isdisjoint(steps.split(b"/")[1:]):
        raise UnusableInput(f"{visible(docket)} names a path that cannot be meant: {visible(path)}", _AGAIN)


def check_actions(docket: str, rows: list[DocketRow], method: Method) -> None:
    """Raise UnusableInput if a docket has rows whose action is another method's."""
    others = {row.action for row in rows} - {Action.KEEP, Action.LEAVE, method.action}
    if not others:
        return
    other = min(others)
    advice = {
        Action.COPY: "use --method copy --to DIR", Action.HEAL: "use --method heal",
        Action.FOLD: "leave --method out, or name one that puts spares away",
    }  # fmt: skip
    raise UnusableInput(
        f"{visible(docket)} has rows to {other}, which --method {method} does not do; nothing was changed",
        advice[other],
    )


def beside_spare(item: Item, path: bytes) -> bytes:
    """Return where a file from beside a spare is moved to along with it; empty if the spare is not moved."""
    return os.path.join(os.path.dirname(item.target), os.path.basename(path)) if item.target else b""


def batches(items: list[Item], most_files: int, most_bytes: int, most_folders: int) -> Iterator[list[int]]:
    """Yield the positions of items by batches, none with too many files, bytes or folders.

    Items of one folder come together, in their order: each folder is opened and flushed as seldom as can be.
    """
    batch: list[int] = []
    size = 0
    folders: set[bytes] = set()
    for at in sorted(range(len(items)), key=lambda at: items[at].row.path.rpartition(b"/")[0]):
        item = items[at]
        inside = {path.rpartition(b"/")[0] for path in (item.row.path, item.target) if path}
        full = len(batch) >= most_files or size >= most_bytes or len(folders | inside) > most_folders
        if batch and full:
            yield batch
            batch, size, folders = [], 0, set()
        batch.append(at)
        size += item.row.size
        folders |= inside
    if batch:
        yield batch
