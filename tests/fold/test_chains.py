"""Two features one after the other: what one puts away and another takes on is never lost between them."""

from pathlib import Path

import pytest

from harness.chains import DOORS, STEPS, walked


@pytest.mark.parametrize("door", DOORS)
def test_each_door_and_each_step_after_it(tmp_path: Path, door: str):
    for number, step in enumerate(STEPS):
        (tmp_path / str(number)).mkdir()
        walked(tmp_path / str(number), [door, step])


@pytest.mark.long
@pytest.mark.parametrize("door", DOORS)
@pytest.mark.parametrize("second", [*DOORS, *STEPS])
def test_each_chain_of_three(tmp_path: Path, door: str, second: str):
    for number, third in enumerate([*DOORS, *STEPS]):
        (tmp_path / str(number)).mkdir()
        walked(tmp_path / str(number), [door, second, third])
