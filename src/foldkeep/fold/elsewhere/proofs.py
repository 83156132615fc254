"""What is believed of keepers on other machines: vouchers that count here and now."""

import os
import time
from collections import Counter
from collections.abc import Iterable, Mapping
from typing import NamedTuple

from blake3 import blake3

from foldkeep.model import PathBytes, RunFileState, UnusableInput, visible
from foldkeep.model.machines import is_elsewhere, path_on, split_machine
from foldkeep.model.vouchers import ASIDE_SECONDS, RELEASE_SECONDS, SECONDS, VouchedFile, Voucher
from foldkeep.stock import Stock
from foldkeep.storage.local.reading import NotSafe, Stamp, digest_of

_NS = 1_000_000_000


class Proof(NamedTuple):
    """A file on another machine that stands for one here.

    Attributes
    ----------
    file
        As its machine knows it.
    machine
        What that is called.
    until_ns
        Until when it counts, by the clock of this machine.
    number
        That it was signed with; empty for folding.
    """

    file: VouchedFile
    machine: str
    until_ns: int
    number: bytes = b""

    @property
    def path(self) -> PathBytes:
        """Where it lies, as it is written here."""
        return path_on(self.machine, self.file.path)

    def is_fresh(self) -> bool:
        """Tell whether it still counts."""
        return time.time_ns() < self.until_ns

    def check(self, stamp: Stamp) -> None:
        """Raise NotSafe if it counts no more, or may be the file here itself, seen by both machines."""
        if not self.is_fresh():
            raise NotSafe(f"what {self.machine} vouched for is too old; have it vouch again")
        here = stamp.identity
        if (here.inode, here.size, here.modified_ns) == (self.file.inode, self.file.size, self.file.modified_ns):
            raise NotSafe(f"may be the same file as its keeper on {self.machine}, seen by both machines")

    def check_content(self, descriptor: int) -> None:
        """Read an open file, and raise NotSafe if the other machine has not read just that for this release."""
        if not self.number:
            raise NotSafe(f"{self.machine} has not vouched for this release")
        proof = blake3(key=self.number)
        os.lseek(descriptor, 0, os.SEEK_SET)
        _, size = digest_of(descriptor, self.file.size, also=proof)
        if (size, proof.digest()) != (self.file.size, self.file.proof):
            raise NotSafe(f"{self.machine} does not have what this file holds")


Proofs = Mapping[bytes, Proof]
"""Proofs by digest of what they stand for."""


def proofs_for_folding(stock: Stock, vouchers: Iterable[Voucher], docket: bytes) -> dict[bytes, Proof]:
    """Return what counts for folding by a docket.

    Raises UnusableInput for a voucher of this machine itself, of another docket, for a release, or that is too old.
    """
    found: dict[bytes, Proof] = {}
    for voucher in vouchers:
        name = visible(voucher.machine.name)
        _check_other(stock, voucher)
        if voucher.docket != docket:
            raise UnusableInput(
                f"{name} vouched for another docket, or this one was changed since", f"have {name} vouch for it now"
            )
        if voucher.number:
            raise UnusableInput(f"what {name} signed is for a release", f"have {name} vouch without --number")
        now_ns = time.time_ns()
        until_ns = voucher.made_ns + SECONDS * _NS
        if not voucher.made_ns - ASIDE_SECONDS * _NS < now_ns < until_ns:
            raise UnusableInput(f"what {name} vouched for is too old, or a clock is wrong", f"have {name} vouch again")
        for file in voucher.files:
            found.setdefault(file.digest, Proof(file, voucher.machine.name, until_ns))
    return found


def proofs_for_release(stock: Stock, vouchers: Iterable[Voucher], runs: Iterable[int]) -> dict[bytes, Proof]:
    """Return what counts for releasing runs: signed with a number that this machine drew for them within the hour.

    Raises UnusableInput for a voucher of this machine itself, or with another number.
    """
    found: dict[bytes, Proof] = {}
    runs = list(runs)
    for voucher in vouchers:
        name = visible(voucher.machine.name)
        _check_other(stock, voucher)
        drawn = [stock.machine.number_made_ns(voucher.number, run) for run in runs] if voucher.number else []
        made_ns = min((each for each in drawn if each is not None), default=None)
        if made_ns is None or None in drawn:
            advice = "for the number to sign, say release without it"
            raise UnusableInput(f"what {name} signed is not for this release", advice)
        until_ns = made_ns + RELEASE_SECONDS * _NS
        if not made_ns <= time.time_ns() < until_ns:
            raise UnusableInput(f"what {name} signed is more than an hour old", "ask for a new number, and be quicker")
        for file in voucher.files:
            found.setdefault(file.digest, Proof(file, voucher.machine.name, until_ns, voucher.number))
    return found


def _check_other(stock: Stock, voucher: Voucher) -> None:
    if voucher.machine.id == stock.machine.get().id:
        raise UnusableInput("this machine vouched for that itself", "have the machine vouch that has the keepers")


def waiting_for_machines(stock: Stock, runs: Iterable[int]) -> Counter[str]:
    """Return how many files of runs wait in the fold whose keepers are on each other machine."""
    files = (file for run in runs for file in stock.ledger.files(run, [RunFileState.WAITING]))
    return Counter(split_machine(file.keeper)[0] for file in files if is_elsewhere(file.keeper))
