"""Which copy stays, and what is said of it."""

from dataclasses import replace

import pytest

from foldkeep.keep import DEFAULT_RULES, Proposal, propose
from foldkeep.model import Action, CopySet, Place, Role, StockFile, freed_files

PLACE = Place(1, b"/kites", Role.WORKING, "kites", 1)


def copies(*rows: tuple[str, int] | tuple[str, int, int]) -> CopySet:
    """A set of files given as path, modification second and, for hard links, inode."""
    files = [
        StockFile(f"/kites/{path}".encode(), 10, second, "photo", PLACE, 1, *(inode or [at]), 1, 0, b"d" * 32)
        for at, (path, second, *inode) in enumerate(rows, start=100)
    ]
    return CopySet("s1", b"d" * 32, tuple(files), 10 * (len(files) - 1))


@pytest.mark.parametrize(
    ("rows", "keeper", "why"),
    [
        ([("b.jpg", 2), ("a.jpg", 3), ("c.jpg", 1)], "c.jpg", "oldest"),
        ([("a (1).jpg", 1), ("a.jpg", 9)], "a.jpg", "its name does not look like a copy's"),
        ([("a copy.jpg", 2), ("a (1).jpg", 1)], "a (1).jpg", "oldest"),
        ([("deep/er/a.jpg", 1), ("deep/a.jpg", 1), ("b.jpg", 5)], "deep/a.jpg", "shortest path"),
        ([("two/a.jpg", 1), ("one/a.jpg", 1)], "one/a.jpg", "first by name"),
    ],
)
def test_the_rules_narrow_in_their_order(rows, keeper, why):
    proposal = Proposal()
    first, *others = propose([copies(*rows)], proposal)
    assert (first.path.decode(), first.action, first.reason) == (f"/kites/{keeper}", Action.KEEP, why)
    assert all(row.action is Action.FOLD and row.reason for row in others)
    assert (proposal.sets, proposal.spares, proposal.reclaimable, proposal.reasons) == (
        1, len(rows) - 1, 10 * (len(rows) - 1), {why: 1},
    )  # fmt: skip


def test_each_spare_is_told_the_rule_that_went_against_it():
    rows = propose([copies(("a.jpg", 1), ("in/a.jpg", 1), ("b.jpg", 2), ("a copy.jpg", 0))], Proposal())
    assert {row.path: row.reason for row in rows} == {
        b"/kites/a.jpg": "shortest path",
        b"/kites/in/a.jpg": "longer path than the keeper's",
        b"/kites/b.jpg": "newer than the keeper",
        b"/kites/a copy.jpg": "its name looks like a copy's",
    }


def test_sets_no_rule_decides_are_left_and_counted():
    proposal = Proposal()
    rows = list(propose([copies(("one/a.jpg", 1), ("two/a.jpg", 1))], proposal, DEFAULT_RULES[:2]))
    assert [row.action for row in rows] == [Action.LEAVE, Action.LEAVE]
    assert (proposal.undecided, proposal.spares, proposal.reclaimable) == (1, 0, 0)


def test_another_name_of_the_keeper_is_left_and_frees_nothing():
    proposal = Proposal()
    rows = list(propose([copies(("a.jpg", 1, 7), ("a link.jpg", 1, 7), ("b.jpg", 2, 8))], proposal))
    assert [(row.action, row.path) for row in rows] == [
        (Action.KEEP, b"/kites/a.jpg"),
        (Action.LEAVE, b"/kites/a link.jpg"),
        (Action.FOLD, b"/kites/b.jpg"),
    ]
    assert (proposal.spares, proposal.reclaimable) == (1, 10)


@pytest.mark.parametrize(
    ("links", "known", "free"),
    [
        ([1, 1, 1], [1, 1, 1], 30),
        ([2, 1], [2, 1], 20),  # one has two names, and both go
        ([2, 1], [1, 1], 10),  # one has a name elsewhere and keeps its space
        ([2, 2], [1, 1], 0),
        ([3, 2, 1], [2, 2, 1], 20),
    ],
)
def test_space_comes_free_only_with_the_last_name_of_a_file(links, known, free):
    names = [
        StockFile(f"/kites/{inode}-{n}.jpg".encode(), 10, 1, "photo", PLACE, 1, inode, links[inode], 0, b"d" * 32)
        for inode, count in enumerate(known)
        for n in range(count)
    ]
    assert 10 * len(freed_files(names)) == free


def test_what_is_not_proven_or_not_here_is_left():
    found = copies(("a.jpg", 1), ("b.jpg", 2))
    proposal = Proposal()
    unproven = CopySet(found.id, None, found.copies, 10)
    assert [row.action for row in propose([unproven], proposal)] == [Action.LEAVE] * 2
    assert (proposal.undecided, proposal.spares) == (1, 0)
    other = Place(2, b"/drive", Role.WORKING, "drive", 2)
    elsewhere = replace(found.copies[0], place=other, path=b"/drive/a.jpg")
    away = CopySet(found.id, found.digest, (*found.copies, elsewhere), 20)
    assert [(row.path, row.action) for row in propose([away], Proposal(), away={2})] == [
        (b"/drive/a.jpg", Action.LEAVE),
        (b"/kites/a.jpg", Action.KEEP),
        (b"/kites/b.jpg", Action.FOLD),
    ]
    assert [row.reason for row in propose([away], Proposal(), away={1})] == ["its place is away"] * 2 + [
        "the only copy at hand"
    ]
