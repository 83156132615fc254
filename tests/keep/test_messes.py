"""Small messes with an obvious answer: the default rules give it."""

import pytest

from harness.desks import Desk
from messes import MESSES, Mess
from messes.mess import make, proposed, wanted


# Written down before the rules that decide them.
LATER = (
    "an album twice, under other tags", "a rated shoot, and its card with one picture rated better", "playing cards",
    "a portfolio from three shoots", "the best of two shoots, renamed", "prints for a client",
    "a selection and its copy on the desktop", "a film in its project and the one delivered",
    "a flat folder that lies whole in a sorted tree", "two flat copies of one sorted tree",
    "what a phone uploaded, and a party", "a player's copy, protected by a glob", "only below the album",
)  # fmt: skip


@pytest.mark.parametrize("mess", [
    pytest.param(each, marks=pytest.mark.xfail if each.name in LATER else (), id=each.name.replace(" ", "-"))
    for each in MESSES
])  # fmt: skip
def test_a_mess_is_decided_as_a_person_would(desk: Desk, mess: Mess):
    make(mess, desk)
    found = proposed(mess, desk)
    right = wanted(mess, desk)
    said = [f"goes: {path}: {found[path]}" for path in sorted(found.keys() - right)]
    said += [f"stays: {path}" for path in sorted(right - found.keys())]
    assert not said, "\n".join([mess.why, *said])
