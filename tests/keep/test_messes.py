"""Small messes with an obvious answer: the default rules give it."""

import pytest

from harness.desks import Desk
from messes import MESSES, Mess
from messes.mess import make, proposed, wanted


@pytest.mark.parametrize("mess", MESSES, ids=lambda mess: mess.name.replace(" ", "-"))
def test_a_mess_is_decided_as_a_person_would(desk: Desk, mess: Mess):
    make(mess, desk)
    found = proposed(mess, desk)
    right = wanted(mess, desk)
    said = [f"goes: {path}: {found[path]}" for path in sorted(found.keys() - right)]
    said += [f"stays: {path}" for path in sorted(right - found.keys())]
    assert not said, "\n".join([mess.why, *said])
