"""Looking at one file then and there: whether it may go, and what vouches for it."""

import os
from collections.abc import Callable
from dataclasses import dataclass, field, replace
from typing import Any

from foldkeep.model import Method, PathBytes, RunFile, RunFileState, visible
from foldkeep.model.names import folders_above, lies_below
from foldkeep.model.runs import SourceFacts
from foldkeep.model.units import format_moment
from foldkeep.scan import open_files
from foldkeep.storage.local.reading import NotSafe, digest_in, facts_of

from ..bench import Bench, Ready, Spot
from ..elsewhere.protection import Protections
from ..journal import Going
from ..methods import is_our_link, method_of
from ..servers.sides import Sides
from ..sidecars.merging import check_said
from ..source import check_source
from ..verify import BY_SERVER, NOTHING, Verified, look_at, verify
from .plan import Item
from .run_lookup import gone_reason

NOT_EMPTIED = "its folder did not become empty"


@dataclass
class Looker:
    """Looks at the files of one place and run, and has their methods prepare what they need.

    Attributes
    ----------
    earlier
        Tells in which run a file of this path waits already, or None.
    links_to
        Tells which files of earlier runs have a symbolic link in their place that leads to a path.
    litter
        Paths of files that go if nothing else is left in their folder.
    left
        Paths of files of this place that stay where they are; what goes along with them stays too.
    sides
        Tells whether keepers are surely other files.
    places
        The places that have a folder of this run in their folds.
    protections
        What this machine has vouched for.
    """

    bench: Bench
    earlier: Callable[[PathBytes], int | None]
    links_to: Callable[[PathBytes], list[RunFile]]
    litter: frozenset[PathBytes]
    left: set[PathBytes]
    sides: Sides
    places: frozenset[PathBytes] = frozenset()
    protections: Protections = field(default_factory=Protections)
    _open: dict[PathBytes, str] | None = None
    _views: dict[PathBytes, bool] = field(default_factory=dict)

    def make_ready(self, item: Item, file: RunFile) -> Ready:
        """Look at a file, read it where that is due, and prepare what its method needs.

        Raises
        ------
        NotSafe
            If it must stay where it is.
        OSError
            If it cannot be read, or what it needs cannot be prepared.
        """
        if item.master in self.left:
            raise NotSafe(f"stays with {visible(os.path.basename(item.master))}")
        if item.refusal:
            raise NotSafe(item.refusal)
        if item.method is Method.COPY:  # nothing of it is there yet
            file = file._replace(state=method_of(file).went)
            return method_of(file).prepare(self.bench, Ready(item, file, -1, b""))
        if protection := self.protections.of(file.path):
            made = format_moment(protection.made_ns)
            raise NotSafe(f"another machine relies on it since {made}; foldkeep vouch tells which docket that is for")
        try:
            folder, name = self.bench.folders.of(file.path)
        except FileNotFoundError:
            raise self._gone(file) from None
        except NotADirectoryError:
            raise NotSafe("a folder on the way to it is now a link or a file") from None
        verified, news = (NOTHING, {}) if item.merge else self._looked_at(item, file, folder, name)
        file = file._replace(state=method_of(file).went, **news)
        return method_of(file).prepare(self.bench, Ready(item, file, folder, name, verified))

    def _looked_at(self, item: Item, file: RunFile, folder: int, name: bytes) -> tuple[Verified, dict[str, Any]]:
        """Look at a file; return what was seen, and what is to be written down of it."""
        if item.litter:
            self._check_only_litter(file, folder)
        self._check_no_link_leads_to(file.path)
        keepers = self.sides.apart(self.bench.vault.place, self.bench.key, item.keepers)
        try:
            verified = (
                look_at(item.row, folder, name)
                if not item.is_read or _is_unreadable(item, folder, name)
                else verify(item.row, folder, name, keepers, self.bench.comparison)
            )
        except NotSafe:
            if facts_of(folder, name) is None:
                raise self._gone(file) from None
            raise
        if os.fstat(folder).st_dev != self.bench.vault.device:
            raise NotSafe("on another volume than the fold of its place; make that volume a place of its own")
        return self._vouched(item, file, verified, (folder, name))

    def _vouched(
        self, item: Item, file: RunFile, verified: Verified, home: Spot
    ) -> tuple[Verified, dict[str, Any]]:  # fmt: skip
        """Return a file with what vouches for it, found and looked at now."""
        keeper = verified.witness.path if verified.witness else b""
        if keeper and not lies_below(keeper, self.bench.vault.place):
            self._check_not_another_view(keeper)
        news: dict[str, Any] = {"keeper": keeper, "digest": verified.digest}
        if verified.witness and verified.witness.is_stated:
            news["reason"] = BY_SERVER
        if item.is_derived and item.source_facts:
            news |= {"digest": b"", "source": item.source_facts._replace(made=verified.digest)}
            verified = replace(verified, digest=b"")
        if item.source:
            self._check_not_open(file.path)
            witness = check_source(item.source, verified.spare, item.source_facts)
            verified = replace(verified, witness=witness)
            identity = witness.identity
            facts = news.get("source") or SourceFacts(0, 0)
            news |= {"keeper": item.source}
            news["source"] = facts._replace(size=identity.size, modified_ns=identity.modified_ns)
        if item.package:
            news["keeper"] = item.package
        if item.proof:
            item.proof.check(verified.spare)
            news["keeper"] = item.proof.path
        if item.words_in:
            said = check_said(item.words_in, *home)
            verified = replace(verified, witness=said.witness)
            news |= {"keeper": item.words_in, "words": said.digest}
        return verified, news

    def _check_not_another_view(self, keeper: PathBytes) -> None:
        """Raise NotSafe if the folder of this run is seen from the keeper's side: then both may be one file."""
        for above in folders_above(keeper):
            if above not in self._views:
                self._views[above] = self.bench.vault.is_seen_from(above, self.places)
            if self._views[above]:
                raise NotSafe(f"the same file as its keeper, seen through another mount: {visible(keeper)}")

    def _gone(self, file: RunFile) -> NotSafe:
        return NotSafe(gone_reason(self.earlier(file.path)))

    def _check_not_open(self, path: PathBytes) -> None:
        if self._open is None:
            self._open = open_files()
        if path in self._open:
            raise NotSafe(f"{self._open[path]} has it open")

    def _check_only_litter(self, file: RunFile, folder: int) -> None:
        above = os.path.dirname(file.path)
        if any(os.path.join(above, os.fsencode(name)) not in self.litter for name in os.listdir(folder)):
            raise NotSafe(NOT_EMPTIED)

    def _check_no_link_leads_to(self, path: PathBytes) -> None:
        for linked in self.links_to(path):
            try:
                text = os.readlink(linked.path)
            except OSError:
                continue  # somebody took the link away
            if is_our_link(linked, text):
                raise NotSafe(
                    f"the symbolic link {visible(linked.path)} of run {linked.run} leads to it; unfold that run first"
                )


def _is_unreadable(item: Item, folder: int, name: bytes) -> bool:
    """Tell whether a file that is to be healed since its medium gives it no more is not given now either.

    Raises NotSafe if it is.
    """
    if item.method is not Method.HEAL or item.row.digest is not None:
        return False
    try:
        digest_in(folder, name)
    except OSError:
        return True
    raise NotSafe("can be read again; run foldkeep fixity to see whether it is right")


def intention(ready: Ready) -> Going:
    """Return what is written into the journal before a file is touched."""
    return Going(ready.file, across=ready.copy is not None)


def state_if_left(bench: Bench, file: RunFile, reason: str) -> RunFile:
    """Return a file that its method did not go on with: left, or in its slot if it could not be put back."""
    waits = file.method is not Method.WRITE and facts_of(*bench.slot(file)) is not None
    return file._replace(state=RunFileState.WAITING if waits else RunFileState.LEFT, reason=reason)
