"""What the disk shows of one file of a run, wherever a process was killed.

A file is in one of four spots: at home (its path), in its slot in the vault, at its target, or gone. While
something is done to it, it can be in two of them, whole in at least one, and beside them may lie what was
prepared: stand-ins in the vault, a copy under our own name beside the target or the home. Nothing is taken
away here unless it is proved, then and there, to be ours or to lie whole in another spot.
"""

import errno
import os
from collections.abc import Callable
from contextlib import suppress

from foldkeep.model import Method, PathBytes, RunFile, RunFileState, UnusableInput
from foldkeep.model.remote import is_remote
from foldkeep.model.units import is_clock_change
from foldkeep.storage.local.changes import is_claim, move, unlink_twin
from foldkeep.storage.local.reading import (
    NotSafe,
    Stamp,
    digest_in,
    facts_of,
    has_digest,
    is_regular,
    may_have_one,
    modified_ns,
)
from foldkeep.storage.remote import remote_storage

from ..bench import Bench, Spot, free_names, volume_key
from ..journal import Going, History, Releasing, Returning
from ..removing.disk import remove, seen_now
from ..removing.own import discard
from ..rests import rest_name
from ..vault import coming_in, coming_out, copy_name

_NOT_THERE = (errno.ENOENT, errno.ENOTDIR, errno.ELOOP)


class Scene:
    """The spots of one file.

    Parameters
    ----------
    file
        As the ledger has it.
    history
        What its journal tells.

    Attributes
    ----------
    began
        Whether the ledger knows that something was done to it.
    is_unknown
        Whether a spot that it may lie in cannot be looked at now: a drive is away, a folder cannot be entered.
    """

    def __init__(self, bench: Bench, file: RunFile, history: History) -> None:
        self.bench = bench
        self.first = history.first
        self.last = history.last
        self.pending = history.pending
        self.began = file.state is not RunFileState.PLANNED
        self.file = history.first.applied_to(file) if history.first else file
        self._home_path = history.last.path if isinstance(history.last, Returning) else self.file.path
        self.is_unknown = False
        if self._is_away():
            self.is_unknown = True

    @property
    def is_going(self) -> bool:
        """Whether it was last about to go, and that was not marked as done."""
        return isinstance(self.last, Going) and self.pending

    @property
    def is_releasing(self) -> bool:
        """Whether it was last about to be deleted for good."""
        return isinstance(self.last, Releasing)

    @property
    def is_returning(self) -> bool:
        """Whether it was last about to be brought back."""
        return isinstance(self.last, Returning)

    def _is_away(self) -> bool:
        """Tell whether the volume of its target cannot be looked at now."""
        if not self.file.target:
            return False
        if is_remote(self.file.target):
            return not _answers(self.file.target)
        try:
            folder, name = self.bench.targets.of(self.file.target)
            if facts_of(folder, name) is not None:
                return False
            return self._is_on_another_volume(self.bench.volume_key(folder, os.path.dirname(self.file.target)))
        except OSError as error:
            if error.errno not in _NOT_THERE:
                return True
        above = os.path.dirname(self.file.target)
        while not os.path.isdir(above):
            above = os.path.dirname(above)
        try:
            return self._is_on_another_volume(volume_key(above, os.stat(above).st_dev))
        except OSError:
            return True

    def _is_on_another_volume(self, key: str) -> bool:
        if self.file.target_volume:
            return key != self.file.target_volume
        if self.first is None:
            return False  # it was never moved
        if self.first.across:
            return True  # an earlier Fold Keep did not write down which volume it was
        # It was that of its place; another one may have been mounted over the folder since, and hides the file.
        vault = self.bench.vault
        return key != self.bench.volume_key(vault.files, vault.place)

    def _at(self, spot: Spot) -> Spot | None:
        return spot if facts_of(*spot) is not None else None

    def home(self) -> Spot | None:
        """Return where the file lies outside the fold, or what else has its name there; of a copy nothing does."""
        if self.file.method is Method.COPY:
            return None
        try:
            return self._at(self.bench.folders.of(self._home_path))
        except OSError as error:
            self.is_unknown |= error.errno not in _NOT_THERE
            return None

    def slot(self) -> Spot | None:
        """Return where it waits in the vault."""
        return self._at(self.bench.slot(self.file))

    def rest(self) -> Spot | None:
        """Return what was kept of it when it was released."""
        return self._at((self.bench.vault.files, rest_name(self.file))) if self.file.may_have_rest else None

    def in_(self) -> Spot | None:
        """Return what was made to take its name outside."""
        return self._at((self.bench.vault.files, coming_in(self.file)))

    def out(self) -> Spot | None:
        """Return what had its name outside."""
        return self._at((self.bench.vault.files, coming_out(self.file)))

    def target(self) -> Spot | None:
        """Return what lies where it was moved to."""
        if not self.file.target or is_remote(self.file.target):
            return None
        try:
            return self._at(self.bench.targets.of(self.file.target))
        except OSError:
            return None

    def copy_at_target(self) -> Spot | None:
        """Return what lies under our own name beside its target."""
        if not self.file.target or is_remote(self.file.target):
            return None
        with suppress(OSError):
            path = os.path.join(os.path.dirname(self.file.target), copy_name(self.bench.key, self.file))
            return self._at(self.bench.targets.of(path))
        return None

    def copy_at_home(self) -> Spot | None:
        """Return what lies under our own name beside its home."""
        with suppress(OSError):
            path = os.path.join(os.path.dirname(self._home_path), copy_name(self.bench.key, self.file))
            return self._at(self.bench.folders.of(path))
        return None

    def is_home(self) -> bool:
        """Tell whether what lies at home is, by size and time, the file."""
        spot = self.home()
        facts = facts_of(*spot) if spot else None
        if spot is None or facts is None or facts.st_size != self.file.size:
            return False
        shift = modified_ns(facts) - self.file.modified_ns
        return not shift or (is_clock_change(shift) and bool(self.file.digest) and has_digest(*spot, self.file.digest))

    def finish_moves_by_link(self) -> None:
        """Take the newer of two names of ours away from one file: a move by hard link was cut in two."""
        home, target = self.home(), self.target()
        pairs = (
            (home, self.slot()), (home, target), (home, self.in_()), (home, self.out()), (home, self.copy_at_home()),
            (target, self.copy_at_target()), (target, self.in_()), (target, self.out()),
        )  # fmt: skip
        for one, other in pairs:
            facts, other_facts = (facts_of(*spot) if spot else None for spot in (one, other))
            if one and other and facts and other_facts and os.path.samestat(facts, other_facts):
                with suppress(OSError):
                    unlink_twin(other, one)
        slot = self.slot()
        if home and slot and self.bench.makes_claims():
            # Where two names of one file look like two files, the move of a moment ago is told by the content.
            self.remove_twin(slot, home)

    def take_claims_away(self) -> None:
        """Take away the empty files that were to be moved onto, where a process was killed in between.

        Only where names change so at all; only if what was to be moved lies whole in another spot; and of an empty
        file, which cannot be told from a claim, only the one under a name of our own.
        """
        home, ours = self.home(), (self.slot(), self.in_(), self.out(), self.copy_at_home(), self.copy_at_target())
        # A file that was being rebuilt can be rebuilt again: where its rest is, nothing empty stands for it.
        there = [spot for spot in (home, self.target(), self.rest(), *ours) if spot]
        claims = [spot for spot in there if is_claim(*spot)]
        if not claims or len(there) == 1 or not self.bench.makes_claims():
            return
        for spot in claims:
            rest = [other for other in there if other != spot and not is_claim(*other)]
            is_ours = spot in ours
            # A file that was empty has a digest; a sidecar that is only to be has neither size nor digest.
            if rest and (is_ours or self.file.size or not self.file.digest):
                discard(spot[1], spot[0])
            elif is_ours and not self.file.size and len(claims) > 1:
                discard(spot[1], spot[0])
                return

    def move_home(self, spot: Spot, *, anywhere: bool = False) -> bool:
        """Put something under the file's name, or, `anywhere`, beside it; tell whether that went well."""
        with suppress(OSError):
            folder, name = self.bench.folders.of(self.file.path, make=True)
            for free in free_names(folder, name):
                if free != name and not anywhere:
                    return False
                move(*spot, folder, free)
                return True
        return False

    def move_to_target(self, spot: Spot) -> None:
        """Put something under the name of the target, or beside it."""
        name = os.path.basename(self.file.target)
        for free in free_names(spot[0], name):
            with suppress(FileExistsError):
                move(*spot, spot[0], free)
                return

    def remove_twin(self, spot: Spot, kept: Spot) -> bool:
        """Delete a file whose content lies whole in another spot, read now; tell whether that was so."""
        seen, kept_seen = seen_now(*spot), seen_now(*kept)
        if seen is None or kept_seen is None or seen.identity.size != kept_seen.identity.size:
            return False
        if may_have_one(seen, kept_seen):
            return False
        digest = digest_in(*spot)
        if digest is None or digest_in(*kept) != digest:
            return False
        return self._removed(spot, seen, lambda: _is(kept, kept_seen))

    def remove_known(self, spot: Spot, digest: bytes) -> bool:
        """Delete a file that has a content of our own making, read now; tell whether that was so."""
        seen = seen_now(*spot)
        if seen is None or digest_in(*spot) != digest:
            return False
        return self._removed(spot, seen, lambda: True)

    def _removed(self, spot: Spot, seen: Stamp, stands: Callable[[], bool]) -> bool:
        try:
            remove(*spot, seen, self.bench.stamps, stands)
        except (NotSafe, OSError):
            return False
        return True


def _answers(path: PathBytes) -> bool:
    """Tell whether the server of a path can be asked now."""
    try:
        remote_storage(path).facts(path)
    except (OSError, UnusableInput):
        return False
    return True


def _is(spot: Spot, stamp: Stamp) -> bool:
    facts = facts_of(*spot)
    return facts is not None and is_regular(facts) and Stamp.of(facts) == stamp
