"""Keepers on other machines: what a machine vouches for, and what is believed of it."""

from typing import TYPE_CHECKING

from foldkeep.model.faces import names_of

if TYPE_CHECKING:
    from .proofs import Proof, Proofs, proofs_for_folding, proofs_for_release, waiting_for_machines
    from .protection import Protection, Protections, end_protection, protected
    from .vouching import Vouching, vouch

__all__ = [
    "Proof",
    "Proofs",
    "Protection",
    "Protections",
    "Vouching",
    "end_protection",
    "proofs_for_folding",
    "proofs_for_release",
    "protected",
    "vouch",
    "waiting_for_machines",
]

__getattr__ = names_of(__name__, __file__)
