"""The pages: short, linked, each picture once, in sentences that can be read."""

import re
from pathlib import Path

import pytest

ROOT = Path(__file__).parents[2]
PAGES = [ROOT / "README.md", ROOT / "CONTRIBUTING.md", *sorted((ROOT / "docs").glob("*.md"))]
LONG = {"README": 200, "formats": 330, "performance": 350, "promises": 230, "CONTRIBUTING": 170}
MOST_LINES, MOST_WORDS, MOST_PICTURES = 120, 32, 20


def links(page: Path) -> list[tuple[str, str]]:
    return re.findall(
        r"(!?)\[[^\]]*\]\(([^)\s]+)\)", re.sub(r"```.*?```|`[^`]*`", "", page.read_text(), flags=re.DOTALL)
    )


def anchors(page: Path) -> set[str]:
    titles = re.findall(r"^#+ (.*)$", page.read_text(), re.MULTILINE)
    return {re.sub(r"[^a-z0-9 -]", "", title.lower()).replace(" ", "-") for title in titles}


def sentences(text: str) -> list[str]:
    """Return the sentences of a page: without its code, tables, headings and pictures, each item of a list apart."""
    text = re.sub(r"```.*?```", "\n\n", text, flags=re.DOTALL)
    text = re.sub(r"^(    .*|\|.*|#.*|!\[.*)$", "", text, flags=re.MULTILINE)
    text = re.sub(r"^\s*(-|\d+\.) ", "\n\n", text, flags=re.MULTILINE)
    return [" ".join(each.split()) for each in re.split(r"(?<=[.!?:;])\s+|\n\s*\n", text) if each.strip()]


@pytest.mark.parametrize("page", PAGES, ids=lambda page: page.name)
def test_a_page_is_short_and_its_links_lead_somewhere(page: Path):
    text = page.read_text()
    assert text.count("\n") <= LONG.get(page.stem, MOST_LINES)
    for _, target in links(page):
        assert not target.startswith("http"), target
        path, _, anchor = target.partition("#")
        there = page.parent / path if path else page
        assert there.is_file(), target
        assert not anchor or anchor in anchors(there), target
    assert [each for each in sentences(text) if len(each.split()) > MOST_WORDS] == []


def test_each_page_is_in_the_index_and_each_picture_on_one_page():
    index = {Path(target).name for _, target in links(ROOT / "docs/index.md")}
    assert {page.name for page in (ROOT / "docs").glob("*.md")} - index == {"index.md"}
    shown = [
        (page.parent / target).resolve()
        for page in PAGES
        for mark, target in links(page)
        if mark and "screenshots" in target
    ]
    assert sorted(shown) == sorted(path for path in (ROOT / "docs/screenshots").glob("*.png"))
    assert len(shown) < MOST_PICTURES
