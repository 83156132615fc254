"""Choosing which copies stay, and the dockets that propose it."""

from .choose import Proposal, propose
from .docket import read_docket, write_docket
from .rules import DEFAULT_RULES, Rule, looks_like_a_copy

__all__ = ["propose", "Proposal", "Rule", "DEFAULT_RULES", "looks_like_a_copy", "read_docket", "write_docket"]
