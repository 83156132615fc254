"""What the tests stand on: desks, drives, oracles, and the harnesses that kill, fail, meddle and cut the power."""
