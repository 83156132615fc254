"""Rules learned from decisions: those that simulated people decided by, and nothing else; written only when asked."""

import random
from collections.abc import Sequence

import pytest

from foldkeep.keep.lessons import Decision, learn
from foldkeep.keep.rules import Rule, make_rules
from foldkeep.model import Place, Role, StockFile
from foldkeep.stock import Stock
from harness.desks import Desk, edit

PLACES = [Place(1, b"/pictures", Role.WORKING, "pictures", 1), Place(2, b"/shelf", Role.WORKING, "shelf", 2)]
FOLDERS = ["best of", "2021/regatta", "2021/hill", "2022/kite day", "2022/night", "laptop/desktop", "laptop/mail",
           "phone/camera", "phone/sent", "clients/harbour", "scans"]  # fmt: skip
TOPS = sorted({folder.partition("/")[0] for folder in FOLDERS})
PLAIN = ("oldest", "newest", "shortest-path", "longest-path", "plain-name")
HIDDEN = [
    *(f"under:/pictures/{folder}" for folder in ("best of", "2022/night", "clients/harbour", "scans")),
    *(f"under:/pictures/{top}" for top in ("2021", "2022", "phone")),
    *(f"outside:/pictures/{top}" for top in ("laptop", "phone")),
    "place:shelf", "oldest", "newest", "plain-name",
]  # fmt: skip


@pytest.fixture
def rules(desk: Desk):
    desk.run("scan", desk.place)
    with Stock.open(str(desk.stock)) as stock:
        stock_rules = {rule.word: rule for rule in make_rules(PLAIN, stock, None)}
    by_place = Rule("place:shelf", lambda copies: [copy.place.id != 2 for copy in copies], "", "")
    return stock_rules | {"place:shelf": by_place}


def rule_of(word: str, rules: dict[str, Rule]) -> Rule:
    kind, _, folder = word.partition(":")
    if kind not in ("under", "outside"):
        return rules[word]
    top = folder.encode() + b"/"
    return Rule(word, lambda copies: [copy.path.startswith(top) is (kind == "outside") for copy in copies], "", "")


def copies(dice: random.Random, number: int) -> list[StockFile]:
    found = {}
    for _ in range(dice.choice((2, 2, 2, 3))):
        place = dice.choice((*PLACES[:1] * 3, PLACES[1]))
        mark = dice.choice(("", "", "", " (1)"))
        path = b"%s/%s/K_%d%s.jpg" % (place.path, dice.choice(FOLDERS).encode(), number, mark.encode())
        found[path] = StockFile(
            path, 9, dice.randrange(10**6), "photo", place, place.id, number * 7 + len(found), 1, 0, bytes(32)
        )
    return list(found.values())


def decided(dice: random.Random, hidden: Sequence[Rule], number: int) -> tuple[Decision, str]:
    """Return a decision by the first hidden rules that speak, and the word of the one that did most of it."""
    while True:
        left = there = copies(dice, number)
        word = ""
        for rule in hidden:
            narrowed = rule.narrow(left)
            word = word or (rule.word if len(narrowed) < len(left) else "")
            left = narrowed
        if word and len(there) > 1:
            slip = dice.random() < 0.03
            keeper = dice.choice(there) if slip else left[0]
            return Decision(there, frozenset({there.index(keeper)})), word


def test_the_rules_of_simulated_people_are_found(rules):
    """Of 200 people, each with one to three rules and a slip in thirty, all rules are found from thirty decisions."""
    whole = 0
    for person in range(200):
        dice = random.Random(person)
        hidden = dice.sample(HIDDEN, dice.choice((1, 1, 2, 2, 3)))
        made = [decided(dice, [rule_of(word, rules) for word in hidden], number) for number in range(30)]
        spoke = {word for word in hidden if sum(by == word for _, by in made) >= 4}
        found = {each.word for each in learn([decision for decision, _ in made], [rules[word] for word in PLAIN])}
        whole += spoke <= found
    print(f"\nall rules of {whole} of 200 people were found")
    assert whole >= 180


def shelves(desk: Desk) -> None:
    """Fourteen pictures, each in a trip and in one of three folders that hold more."""
    for number in range(14):
        body = b"%d" % number * 60
        desk.write(f"Photos/2023 trip {number}/K_{number}.jpg", body)
        desk.write(f"sorted/s{number % 3}/K_{number}.jpg", body)
    desk.proposed()


def test_a_review_says_what_it_teaches_and_a_rule_is_learned_only_when_asked(desk: Desk):
    shelves(desk)
    reviewed = desk.run("review", desk.docket, answer="2\n" * 7 + "\n2\nstop\n")
    assert "8 of your 8 changes are what --prefer under:" in reviewed.out
    docket = desk.docket
    under = f"under:{desk.place}/Photos"
    told = desk.run("keep", "--learn", docket)
    assert f"8 of your 8 changes: --prefer {under} decides as you did." in told.out
    assert "6 sets that you did not change would be decided otherwise than now." in told.out
    assert "No rule was taken" in told.out
    settings = desk.top / "config/foldkeep/settings.toml"
    assert not settings.exists()
    settings.parent.mkdir(parents=True)
    settings.write_text("# mine\n[scan]\nhidden = true\n[keep] # how\nat_least = 1\n[fold]\n")
    offer = desk.run("keep", "--learn", docket, "--json", answer="y\n").json
    assert offer["offers"] == [{"rule": under, "explained": 8, "contradicted": 0, "other_sets": 6, "taken": True}]
    assert settings.read_text() == (
        f'# mine\n[scan]\nhidden = true\n[keep] # how\nlearned = ["{under}"]\nat_least = 1\n[fold]\n'
    )
    assert desk.ask("keep", "--explain")["rules"][0]["rule"] == under
    decided = desk.run("keep", "--afresh", "-o", desk.top / "new.csv")
    assert f"14  under {desk.place}/Photos (learned)" in decided.out
    assert "nothing to learn" in desk.run("keep", "--learn", docket, answer="y\n").out
    assert (
        f"14  under {desk.place}/Photos"
        not in desk.run("keep", "-o", desk.top / "other.csv", "--only-these-rules", "--prefer", "first-by-name").out
    )


def test_settings_in_a_form_of_their_own_are_left_as_they_are(desk: Desk):
    shelves(desk)
    sets = sorted({line.split(",")[0] for line in desk.docket.read_text().splitlines()[1:]})
    swapped = {"keep": "fold", "fold": "keep"}
    edit(desk.docket, lambda row: {**row, "action": swapped[row["action"]]} if row["set"] in sets[:9] else row)
    settings = desk.top / "config/foldkeep/settings.toml"
    settings.parent.mkdir(parents=True)
    settings.write_text("[keep]\nlearned = [\n  'shortest-path' ]\n")
    before = settings.read_bytes()
    refused = desk.run("keep", "--learn", desk.docket, answer="y\n" * 5)
    assert (refused.status, "write it yourself: keep.learned = [" in refused.err) == (2, True)
    assert settings.read_bytes() == before
    assert desk.run("keep", "--learn", desk.docket, "-o", desk.top / "x.csv").status == 2
