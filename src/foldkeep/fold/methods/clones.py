"""Clones in the places of spares: files of their own that share the keeper's blocks until one is written to."""

import os

from foldkeep.model import Method, RunFile
from foldkeep.storage.local.changes import clone_file
from foldkeep.storage.local.reading import FILE, NotSafe, facts_of, is_regular, open_in, open_path, same_content

from ..bench import Bench, Ready, Spot
from ..vault import PROBES
from .method import KEEPER_CHANGED
from .replacements import StandIn


class Clone(StandIn):
    """A spare goes into the fold, and a copy-on-write clone of its keeper takes its name, time and mode."""

    method = Method.CLONE
    words = "clones"

    def try_out(self, files: int) -> None:
        probe, other = PROBES
        descriptor = open_in(files, probe)
        try:
            clone_file(descriptor, descriptor, files, other)
        finally:
            os.close(descriptor)

    def make(self, bench: Bench, ready: Ready, name: bytes) -> Ready:
        witness = ready.verified.witness
        if witness is None:
            raise NotSafe(KEEPER_CHANGED)
        spare = open_in(ready.folder, ready.name)
        try:
            keeper = open_path(witness.path, FILE)
            try:
                clone_file(keeper, spare, bench.vault.files, name)
            finally:
                os.close(keeper)
        finally:
            os.close(spare)
        if not bench.witness_stands(ready.verified):
            made = facts_of(bench.vault.files, name)
            if made is not None:
                self.withdraw(bench, ready, (bench.vault.files, name), made)
            raise NotSafe(KEEPER_CHANGED)
        return ready

    def is_ours(self, bench: Bench, file: RunFile, spot: Spot, original: Spot | None) -> bool:
        facts = facts_of(*spot)
        return is_regular(facts) and original is not None and same_content(*spot, *original)
