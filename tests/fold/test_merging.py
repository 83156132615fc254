"""What copies knew: written into sidecars of keepers, with everything else as it was, and taken back again."""

import io
import os
import re
import shutil

import pytest
from hypothesis import given
from hypothesis import strategies as st
from PIL import Image
from rdflib import Graph, Namespace, URIRef

from foldkeep.fold import ReleaseReport
from foldkeep.fold.methods import replacements
from foldkeep.fold.runs.releasing import release_batch
from foldkeep.fold.runs.vouching import Vouchers
from foldkeep.fold.vault import Vault
from foldkeep.formats.sidecars import Xmp, parse_xmp, says_more, with_words
from foldkeep.stock import Stock
from harness.desks import Desk, edit, left, listing

DC, XMP = Namespace("http://purl.org/dc/elements/1.1/"), Namespace("http://ns.adobe.com/xap/1.0/")
WORDS = (DC.subject, DC.title, DC.description, XMP.Rating)

BY_HAND = """<?xpacket begin="\ufeff" id="W5M0MpCehiHzreSzNTczkc9d"?>
<x:xmpmeta xmlns:x="adobe:ns:meta/" x:xmptk="made by hand">
 <!-- a comment -->
 <rdf:RDF xmlns:rdf="http://www.w3.org/1999/02/22-rdf-syntax-ns#">
  <rdf:Description rdf:about="" xmlns:xmp="http://ns.adobe.com/xap/1.0/" xmlns:wind="urn:windmere:wind/"
    xmp:CreateDate="2025-06-13T10:41:07" wind:force="4 &lt; 5 &amp; &quot;gusty&quot;">
   <wind:measured rdf:parseType="Resource"><wind:at>hill</wind:at><wind:knots>17</wind:knots></wind:measured>
   <wind:masts><rdf:Seq><rdf:li>north</rdf:li><rdf:li rdf:parseType="Resource"><wind:at>east</wind:at></rdf:li>
    </rdf:Seq></wind:masts>
  </rdf:Description>
  <rdf:Description rdf:about="" xmlns:terms="http://purl.org/dc/elements/1.1/">
   <terms:subject><rdf:Bag><rdf:li>kite</rdf:li></rdf:Bag></terms:subject>
   <terms:rights><rdf:Alt><rdf:li xml:lang="x-default">The desk</rdf:li><rdf:li xml:lang="fr">Le bureau</rdf:li>
    </rdf:Alt></terms:rights>
   <terms:title><rdf:Alt><rdf:li xml:lang="x-default">Red kite</rdf:li><rdf:li xml:lang="de">Roter Drachen</rdf:li>
    </rdf:Alt></terms:title>
  </rdf:Description>
 </rdf:RDF>
</x:xmpmeta>
<?xpacket end="w"?>"""
SIDECARS = {
    "by hand": BY_HAND,
    "in UTF-16": BY_HAND,
    "attributes": '<r:RDF xmlns:r="http://www.w3.org/1999/02/22-rdf-syntax-ns#" xmlns:m="http://ns.adobe.com/xap/1.0/">'
    '<r:Description r:about="" m:Rating="0" m:Label="gr&#252;n"/></r:RDF>',
    "RDF without a prefix": '<?xml version="1.0"?><RDF xmlns="http://www.w3.org/1999/02/22-rdf-syntax-ns#" '
    'xmlns:rdf="http://www.w3.org/1999/02/22-rdf-syntax-ns#"><Description rdf:about="" xmlns:dc="urn:not-dublin-core">'
    "<dc:subject>of another kind</dc:subject></Description></RDF>",
    "a list in order": '<r:RDF xmlns:r="http://www.w3.org/1999/02/22-rdf-syntax-ns#"><r:Description r:about="" '
    'xmlns:dc="http://purl.org/dc/elements/1.1/"><dc:subject><r:Seq><r:li>one</r:li></r:Seq></dc:subject><dc:title/>'
    "</r:Description></r:RDF>",
}


def encoded(name: str) -> bytes:
    return SIDECARS[name].encode("utf-16" if name == "in UTF-16" else "utf-8")


def facts(document: bytes) -> Graph:
    """What a sidecar says but for the words, as somebody else's parser of RDF sees it."""
    text = document.decode("utf-16" if document[:2] in (b"\xff\xfe", b"\xfe\xff") else "utf-8")
    graph = Graph()
    graph.parse(data=re.search(r"<(\w+:)?RDF.*</(\w+:)?RDF>", text, re.DOTALL)[0], format="xml", publicID="urn:it")
    for word in WORDS:
        for container in list(graph.objects(URIRef("urn:it"), word)):
            graph.remove((container, None, None))
        graph.remove((URIRef("urn:it"), word, None))
    return graph


texts = st.text(st.characters(codec="utf-8", exclude_categories=("Cc", "Cs", "Cn")), min_size=1).filter(
    lambda text: text.strip() == text and text.isprintable()
)
words = st.builds(
    Xmp,
    st.lists(texts, max_size=3, unique=True).map(tuple),
    st.sampled_from([None, -1, 0, 3.0, 5]),
    st.none() | texts,
    st.none() | texts,
)


@pytest.mark.parametrize("name", SIDECARS)
@given(words)
def test_a_sidecar_says_what_is_new_and_everything_else_as_before(name, new):
    before = encoded(name)
    after = with_words(before, new)
    said, now = parse_xmp(before), parse_xmp(after)
    assert list(now.keywords) == list(dict.fromkeys((*said.keywords, *new.keywords)))
    assert (now.rating or 0, now.title, now.description) == (
        said.rating or new.rating or 0, said.title or new.title, said.description or new.description
    )  # fmt: skip
    assert facts(after).isomorphic(facts(before))
    assert not says_more(before, after)
    assert says_more(after, before) == (now != said)
    fresh = parse_xmp(with_words(None, new))
    assert (fresh.keywords, fresh.rating or 0, fresh.title) == (new.keywords, new.rating or 0, new.title)


def test_what_cannot_be_added_to_is_refused():
    bomb = '<!DOCTYPE a [<!ENTITY b "kite">]>' + SIDECARS["attributes"]
    for document in (b"", b"words", b"<a/>", bomb.encode(), b"<a>" * 100_000 + b"</a>" * 100_000):
        with pytest.raises(ValueError, match=r"not XMP|cannot be|surrogates"):
            with_words(document, Xmp(("kite",)))
    for damage in ("\0", "\ud800"):
        with pytest.raises(ValueError, match=r"not XMP|cannot be|surrogates"):
            with_words(None, Xmp((damage,)))


def sidecar(keywords: tuple[str, ...] = (), rating: float | None = None, title: str | None = None, extra="") -> bytes:
    document = with_words(None, Xmp(keywords, rating, title))
    return document.replace(b'rdf:about=""', f'rdf:about="" {extra}'.encode())


FORCE = 'xmlns:wind="urn:windmere:wind/" wind:force="4"'


@pytest.fixture
def shoot(desk: Desk) -> Desk:
    """Pictures copied from `day` to `in`, about which different sidecars and a catalogue know different things."""
    for name in "abcdef":
        desk.write(f"day/{name}.jpg", name.encode() * 400)
        desk.write(f"in/{name} copy.jpg", name.encode() * 400)
    desk.write("day/a.xmp", sidecar(("kite", "sky"), 3, extra=FORCE)).chmod(0o640)
    desk.write("in/a copy.xmp", sidecar(("sky", "red"), 5, "Red kite"))
    desk.write("in/b copy.xmp", sidecar(("wind",), 2))
    desk.write("day/c.xmp", sidecar(("hill",)))
    desk.write("in/c copy.xmp", sidecar(("hill", "valley"), extra=FORCE))
    desk.write("in/d copy.xmp", sidecar(("dune",), extra=FORCE))
    desk.write("day/f.arw", b"a raw file")
    catalog = desk.top / "list.csv"
    catalog.write_text(
        f"path,keywords,rating,title,caption\n{desk.place}/in/d copy.jpg,'dune,beach',,,\n"
        f"{desk.place}/in/e copy.jpg,crowd,4,Everybody,At noon\x07\n{desk.place}/in/f copy.jpg,,5,,\n"
        f"{desk.place}/day/f.jpg,team,,,\n".replace("'", '"')
    )
    desk.ask("scan", desk.place)
    desk.ask("keep", "-o", desk.docket)
    desk.ask("catalog", "add", "pictures", catalog)
    return desk


def words_at(desk: Desk, name: str) -> tuple:
    said = parse_xmp((desk.place / name).read_bytes())
    return said.keywords, said.rating, said.title, said.description


@pytest.mark.parametrize("alone", [False, True])
def test_what_copies_knew_is_said_of_the_keeper_and_taken_back(shoot: Desk, alone):
    before = listing(shoot.place)
    shown = shoot.run("fold", shoot.docket, answer="n\n").out
    assert "Metadata found only on spares will be added to these 5 sidecars" in shown
    assert "rating 3, not 5 as in" in shown
    assert listing(shoot.place) == before
    answer = shoot.ask("fold", shoot.docket, "--yes")
    assert (answer["folded"], answer["along"], answer["left"]) == (10, 4, [])
    assert words_at(shoot, "day/a.xmp") == (("kite", "sky", "red"), 3, "Red kite", None)
    assert words_at(shoot, "day/b.xmp") == (("wind",), 2, None, None)
    assert words_at(shoot, "day/c.xmp") == (("hill", "valley"), None, None, None)
    assert words_at(shoot, "day/d.xmp") == (("dune", "beach"), None, None, None)
    assert words_at(shoot, "day/e.xmp") == (("crowd",), 4, "Everybody", "At noon")
    assert words_at(shoot, "day/f.jpg.xmp") == (("team",), 5, None, None)
    for name in ("day/a.xmp", "day/d.xmp", "day/c-2.xmp"):
        assert b'wind:force="4"' in (shoot.place / name).read_bytes()
    assert (shoot.place / "day/a.xmp").stat().st_mode & 0o777 == 0o640
    assert not (shoot.place / "in").exists()
    gained = {os.path.basename(each["path"]): each for each in answer["merged"]}
    assert (gained["a.xmp"]["keywords"], gained["a.xmp"]["title"], gained["a.xmp"]["rating"]) == (
        ["red"], "Red kite", None
    )  # fmt: skip
    assert [(each["what"], each["kept"], each["other"]) for each in gained["a.xmp"]["differences"]] == [
        ("rating", "3", "5")
    ]
    assert gained["d.xmp"]["keywords"] == ["dune", "beach"]
    (run,) = shoot.ask("ledger")["runs"]
    assert (run["files"]["waiting"], run["files"]["made"], run["files"]["moved"]) == (10, 3, 2)
    assert "one that says more took its place" in shoot.run("ledger", "1").out
    shoot.ask("scan")
    assert shoot.ask("scan")["hashed_files"] == 0
    if alone:
        shutil.rmtree(shoot.stock.parent)
        assert shoot.ask("unfold", "--from", shoot.place)["restored"] == 12
    else:
        assert shoot.ask("unfold", "1") == {
            "command": "unfold", "run": 1, "restored": 12, "renamed": [], "left": [], "notes": [],
            "strays": [], "away": []
        }  # fmt: skip
    assert listing(shoot.place) == before
    assert not (shoot.place / ".foldkeep").exists()


def test_sidecars_of_a_released_run_go_if_those_stand_that_say_what_they_said(shoot: Desk):
    shoot.ask("fold", shoot.docket, "--yes")
    written = (shoot.place / "day/a.xmp").read_bytes()
    (shoot.place / "day/a.xmp").write_bytes(b"not XMP any more")
    answer = shoot.ask("release", "1", "--yes")
    assert sorted(left(answer)) == [
        (name, "no copy of it outside the fold can be read now; unfold it to keep it")
        for name in ("a copy.xmp", "a.xmp")
    ]
    (shoot.place / "day/a.xmp").write_bytes(written.replace(b"red", b"blue"))
    assert [name for name, _ in left(shoot.ask("release", "1", "--yes"))] == ["a copy.xmp"], "who said red?"
    (shoot.place / "day/a.xmp").write_bytes(written.replace(b"Red kite", b"Blue kite"))
    assert shoot.ask("release", "1", "--yes")["released"] == 1
    # What was moved comes back; what was written stays, since it may be the last to say so.
    kept = {name: words_at(shoot, f"day/{name}.xmp") for name in ("d", "e", "f.jpg")}
    assert sorted(left(shoot.ask("unfold", "1"))) == [
        (f"{name}.xmp", "stays, since what it says may be nowhere else now") for name in sorted(kept)
    ]
    # One said another title than the one that stays: it was kept as a rest, and is made again.
    assert sorted(os.listdir(shoot.place / "in")) == ["a copy.xmp", "b copy.xmp", "c copy.xmp"]
    assert kept == {name: words_at(shoot, f"day/{name}.xmp") for name in kept}


@pytest.mark.parametrize("alone", [False, True])
def test_words_outlive_the_sidecar_that_was_released(shoot: Desk, alone):
    """The spare's sidecar goes for good, and then the former sidecar of the keeper comes back."""
    shoot.ask("fold", shoot.docket, "--yes")
    with Stock.open(str(shoot.stock)) as stock, stock.hold("release"):
        run = stock.ledger.run(1)
        (spare,) = [file for file in stock.ledger.files(1) if file.path.endswith(b"in/a copy.xmp")]
        with Vault(spare.place, run.key) as vault:
            release_batch(stock, vault, [spare], Vouchers(stock), ReleaseReport(), allow_last_copy=True)
    if alone:
        shutil.rmtree(shoot.stock.parent)
    answer = shoot.ask("unfold", *(("--from", shoot.place) if alone else ("1",)))
    assert [os.path.basename(each["to"]["path"]) for each in answer["renamed"]] == ["a-2.xmp", "c-2.xmp"]
    assert words_at(shoot, "day/a.xmp") == (("kite", "sky", "red"), 3, "Red kite", None)
    assert words_at(shoot, "day/a-2.xmp") == (("kite", "sky"), 3, None, None)


def test_a_sidecar_is_not_released_once_nobody_says_what_it_says(shoot: Desk):
    shoot.ask("fold", shoot.docket, "--yes")
    shoot.ask("unfold", "1", "--path", "a.xmp")
    assert words_at(shoot, "day/a.xmp")[0] == ("kite", "sky")
    assert [name for name, _ in left(shoot.ask("release", "1", "--yes"))] == ["a copy.xmp"]


def test_a_sidecar_that_somebody_changed_stays_and_the_former_one_comes_back_beside_it(shoot: Desk):
    shoot.ask("fold", shoot.docket, "--yes")
    for name in ("a", "e"):
        shoot.write(f"day/{name}.xmp", sidecar(("edited",)))
    answer = shoot.ask("unfold", "1")
    assert left(answer) == [("e.xmp", "changed since it was written; take it away yourself")]
    assert [os.path.basename(each["to"]["path"]) for each in answer["renamed"]] == ["a-2.xmp"]
    assert words_at(shoot, "day/a.xmp")[0] == words_at(shoot, "day/e.xmp")[0] == ("edited",)
    assert words_at(shoot, "day/a-2.xmp")[0] == ("kite", "sky")


@pytest.mark.parametrize("words", [("--leave-sidecars",), ("--method", "symlink")])
def test_nothing_is_written_where_nothing_is_lost_or_wanted(shoot: Desk, words):
    before = {path.name for path in shoot.place.glob("day/*.xmp")}
    answer = shoot.ask("fold", shoot.docket, "--yes", *words)
    assert (answer["merged"], answer["left"]) == ([], [])
    now = {path.name for path in shoot.place.glob("day/*.xmp")}
    assert now - before == ({"a-2.xmp", "b.xmp", "c-2.xmp", "d.xmp"} if "--leave-sidecars" in words else set())
    assert shoot.ask("unfold", "1")["left"] == []


def test_words_are_written_only_for_spares_that_went_and_into_sidecars_that_can_be_read(shoot: Desk):
    shoot.write("in/a copy.jpg", b"changed " * 50)
    shoot.write("day/c.xmp", b"not XMP")
    answer = shoot.ask("fold", shoot.docket, "--yes")
    assert words_at(shoot, "day/a.xmp")[0] == ("kite", "sky")
    assert (shoot.place / "in/a copy.xmp").exists()
    assert (shoot.place / "day/c.xmp").read_bytes() == b"not XMP"
    assert words_at(shoot, "day/c-2.xmp")[0] == ("hill", "valley")
    reasons = dict(left(answer))
    assert reasons.keys() == {"a copy.jpg", "a copy.xmp", "c.xmp"}
    assert reasons["c.xmp"].startswith("what is said of its file's copies could not be added: not XMP")


def test_equal_sidecars_of_spares_alone_come_along_to_the_keeper(desk: Desk):
    desk.write("kite.jpg", b"k" * 40)
    for folder in ("imported", "imported again"):
        desk.write(f"{folder}/2025-06-13 kite.jpg", b"k" * 40)
        desk.write(f"{folder}/2025-06-13 kite.xmp", sidecar(("sky",), 4))
    before = listing(desk.place)
    assert not [line for line in desk.proposed() if ".xmp" in line]
    answer = desk.ask("fold", desk.docket, "--yes")
    assert (answer["folded"], answer["along"], answer["emptied_folders"], answer["left"]) == (4, 2, 2, [])
    assert words_at(desk, "kite.xmp") == (("sky",), 4, None, None)
    assert desk.ask("unfold", "1")["restored"] == 4
    assert listing(desk.place) == before


def test_a_copy_known_to_many_takes_its_words_along_when_it_is_moved(shoot: Desk):
    away = shoot.top / "away"
    away.mkdir()
    before = listing(shoot.place)
    shoot.write("more/e copy (2).jpg", b"e" * 400)
    shoot.write("more/e copy (2).xmp", sidecar(("crowd", "noon")))
    shoot.ask("catalog", "forget", "pictures")
    shoot.proposed()
    edit(shoot.docket, lambda row: None if ".xmp" in row["path"] else row)
    moving = ("--method", "move", "--to", away)
    answer = shoot.ask("fold", shoot.docket, "--yes", *moving, "--catalog", shoot.top / "list.csv")
    assert answer["left"] == []
    assert words_at(shoot, "day/e.xmp") == (("crowd", "noon"), 4, "Everybody", "At noon")
    assert {path.name for path in away.glob("**/*.xmp")} == {"a copy.xmp", "e copy (2).xmp", "d copy.xmp"}
    assert shoot.ask("unfold", "1")["left"] == []
    assert listing(shoot.place).items() >= before.items()
    assert list(away.iterdir()) == []


@pytest.mark.parametrize("taken", [False, True])
def test_a_sidecar_that_cannot_be_put_in_place_leaves_the_former_one(shoot: Desk, monkeypatch, taken):
    """The disk fails between the two moves, or somebody puts a new sidecar there."""
    before = listing(shoot.place)
    real = replacements.move

    def move(source, name, target, new_name):
        if name.startswith(b"in-") and new_name == b"a.xmp":
            if taken:
                shoot.write("day/a.xmp", sidecar(("new",)))
                raise FileExistsError(17, "taken")
            raise OSError(5, "the cable was pulled")
        real(source, name, target, new_name)

    monkeypatch.setattr(replacements, "move", move)
    answer = shoot.ask("fold", shoot.docket, "--yes")
    assert words_at(shoot, "day/a.xmp")[0] == (("new",) if taken else ("kite", "sky"))
    reasons = dict(left(answer))
    assert reasons["a copy.xmp"].startswith("it says something that")
    assert ("a.xmp" in reasons) != taken
    monkeypatch.undo()
    answer = shoot.ask("unfold", "1")
    assert [os.path.basename(each["to"]["path"]) for each in answer["renamed"]] == (["a-2.xmp"] if taken else [])
    now = listing(shoot.place)
    assert {facts[0] for facts in before.values()} <= {facts[0] for facts in now.values()}
    assert taken or now == before


@pytest.mark.parametrize(("keywords", "written"), [("kite", None), ("crowd", ("crowd", "kite"))])
def test_a_new_sidecar_also_says_what_the_picture_says_of_itself(desk: Desk, keywords: str, written):
    """Programs that see a sidecar may look at that alone; what the picture says already is nothing new."""
    picture = io.BytesIO()
    Image.new("RGB", (8, 8)).save(picture, "JPEG", xmp=sidecar(("kite",), 3, "Red kite"))
    desk.write("kite.jpg", picture.getvalue())
    desk.write("kite copy.jpg", picture.getvalue())
    desk.proposed()
    catalog = desk.top / "list.csv"
    catalog.write_text(f"path,keywords,rating\n{desk.place}/kite copy.jpg,{keywords},3\n")
    answer = desk.ask("fold", desk.docket, "--yes", "--catalog", catalog)
    assert (answer["folded"], answer["left"], len(answer["merged"])) == (1, [], 1 if written else 0)
    if written:
        assert words_at(desk, "kite.xmp") == (written, 3, "Red kite", None)
