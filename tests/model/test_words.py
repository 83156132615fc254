"""Names, sizes, moments, CSV cells and kinds: tables of cases, and round trips."""

import csv
import doctest
import importlib
import io
import os
import unicodedata
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

import foldkeep
from foldkeep.formats.own import read_table, write_table
from foldkeep.formats.own.csv import defuse
from foldkeep.keep import read_docket, write_docket
from foldkeep.model import Action, DocketRow, UnusableInput, visible
from foldkeep.model.copy_names import looks_like_a_copy
from foldkeep.model.kinds import kind_of
from foldkeep.model.machines import is_elsewhere, path_on, split_machine
from foldkeep.model.names import beside, file_uri, path_from_uri
from foldkeep.model.signatures import contradiction
from foldkeep.model.units import format_moment, format_size, parse_age, parse_moment, parse_size
from foldkeep.storage.local.reading import facts_at, open_path

paths = (
    st.binary(min_size=1, max_size=40)
    .filter(lambda name: 0 not in name and not name.startswith(b"/"))  # two slashes begin a path on another machine
    .map(lambda name: b"/" + name)
)
texts = st.text(st.characters(codec="utf-8"), max_size=12)


@given(paths)
def test_any_path_survives_as_a_uri(path):
    uri = file_uri(path)
    assert uri.isascii()
    assert path_from_uri(uri) == path


@given(paths, st.from_regex(r"[A-Za-z0-9]([A-Za-z0-9._-]{0,20}[A-Za-z0-9])?", fullmatch=True))
def test_any_path_on_another_machine_survives_and_is_never_taken_for_one_here(path, machine):
    there = path_on(machine, path)
    assert (is_elsewhere(there), is_elsewhere(path), split_machine(there)) == (True, False, (machine, path))
    if machine != "localhost":
        assert path_from_uri(file_uri(there), elsewhere=True) == there
        with pytest.raises(ValueError, match="not a"):
            path_from_uri(file_uri(there))
    with pytest.raises(OSError, match="another machine"):
        open_path(there, os.O_RDONLY)
    with pytest.raises(OSError, match="another machine"):
        facts_at(there)


@pytest.mark.parametrize(
    "uri",
    [
        "/a",
        "file:////etc/passwd",
        "file:////edit-01/a",
        "http://x/a?b",
        "sftp://x/../a",
        "file://elsewhere/a",
        "file:a",
        "file:///a%00b",
        "file:///a?b",
    ],
)
def test_what_is_no_uri_of_a_local_file_is_refused(uri):
    with pytest.raises(ValueError, match=r"not a|cannot use"):
        path_from_uri(uri)


@given(paths)
def test_nothing_that_acts_on_a_terminal_is_visible(path):
    shown = visible(path)
    assert not any(unicodedata.category(char) in ("Cc", "Cf", "Zl", "Zp", "Cs") for char in shown)
    if path.isascii() and path.decode().isprintable():
        assert shown.encode() == path


@given(st.lists(st.tuples(texts, texts, texts).filter(any)))
def test_any_cell_survives_a_table_and_none_is_a_formula(rows):
    stream = io.StringIO(newline="")
    write_table(stream, ("a", "b", "c"), rows)
    by_library = io.StringIO(newline="")
    csv.writer(by_library).writerows([("a", "b", "c"), *([defuse(cell) for cell in row] for row in rows)])
    assert stream.getvalue() == by_library.getvalue()
    stream.seek(0)
    assert [tuple(cells.values()) for _, cells in read_table(stream, ("a", "b", "c"))] == rows
    written = io.StringIO(newline="")
    write_table(written, ("a",), [("=1+1",), ("'=x",), ("@sum",)])
    assert written.getvalue() == "a\r\n'=1+1\r\n''=x\r\n'@sum\r\n"


@given(
    st.lists(
        st.builds(
            DocketRow,
            st.just("s1"),
            st.sampled_from(Action),
            paths,
            st.integers(0, 2**60),
            st.just("photo"),
            st.integers(-(10**18), 4 * 10**18),
            st.none() | st.binary(min_size=32, max_size=32),
            texts.map(str.strip),
        )
    )
)
def test_a_docket_comes_back_as_it_was_written(tmp_path_factory, rows):
    path = write_docket(str(tmp_path_factory.mktemp("docket") / "docket.csv"), rows)
    assert read_docket(path) == rows


def test_a_taken_docket_is_not_overwritten(tmp_path):
    wanted = tmp_path / "docket.csv"
    wanted.write_text("mine")
    assert write_docket(str(wanted), []) == str(tmp_path / "docket-2.csv")
    assert wanted.read_text() == "mine"
    with pytest.raises(UnusableInput, match="cannot write "):
        write_docket(str(tmp_path / "no" / "docket.csv"), [])
    assert os.listdir(tmp_path) != []


@pytest.mark.parametrize(
    ("text", "size"),
    [("0", 0), ("200MB", 200_000_000), ("1.5 GiB", 1_610_612_736), ("7kb", 7000), ("2TB", 2 * 10**12)],
)
def test_sizes_are_understood(text, size):
    assert parse_size(text) == size


def test_sizes_and_ages_are_shown_and_refused():
    assert [format_size(n) for n in (0, 999, 1000, 99_949, 99_950, 999_499, 999_500, 5 * 10**15)] == [
        "0 B",
        "999 B",
        "1.00 kB",
        "99.9 kB",
        "100 kB",
        "999 kB",
        "1.00 MB",
        "5000 TB",
    ]
    assert [parse_age(text).days for text in ("30d", "2w", "6m", "5y")] == [30, 14, 182, 1826]
    for parse, text in ((parse_size, "ten"), (parse_size, "5 parsecs"), (parse_age, "5"), (parse_age, "-2d")):
        with pytest.raises(ValueError, match="write one like"):
            parse(text)


@given(st.integers(-(10**18), 10**19))
def test_moments_keep_every_nanosecond(nanoseconds):
    assert parse_moment(format_moment(nanoseconds)) == nanoseconds


@pytest.mark.parametrize(
    "name",
    "Copy of kite.jpg|Copy (2) of kite.jpg|kite copy.jpg|kite - Copy (3).jpg|kite_copy2.jpg|kite (1).jpg|"
    "kite(12).jpg|Kopie von kite.jpg|kite - Kopie.jpg|kite copie.jpg".split("|"),
)
def test_names_of_copies_look_like_copies(name):
    assert looks_like_a_copy(name.encode())


@pytest.mark.parametrize(
    "name",
    "kite.jpg|WKD_0001.jpg|copyright.txt|copycat.jpg|photocopy.jpg|kite 2.jpg|day-2.jpg|(1).jpg|"
    "march (1985).flac|copy.jpg".split("|"),
)
def test_other_names_do_not(name):
    assert not looks_like_a_copy(name.encode())


def test_kinds_and_free_names():
    kinds = "a.JPG photo b.cr3 photo c.mxf video d.flac audio e.xmp sidecar f.m3u8 catalog g.otio project h.tar packed"
    words = f"{kinds} .jpg other i other".split()
    cases = dict(zip(words[::2], words[1::2], strict=True))
    assert {name: kind_of(name.encode()) for name in cases} == cases
    assert [beside(b"march.flac", n) for n in (1, 2)] == [b"march.flac", b"march-2.flac"]
    assert beside(b".hidden", 2) == b".hidden-2"
    assert len(beside(b"x" * 251 + b".jpg", 12)) == 255


_TOP = Path(foldkeep.__file__).parent
_ON_A_LIBRARY = (_TOP / "library.py", _TOP / "keep" / "docket.py")  # those run in a folder with files, elsewhere
WITH_EXAMPLES = sorted(path for path in _TOP.rglob("*.py") if ">>>" in path.read_text() and path not in _ON_A_LIBRARY)


@pytest.mark.parametrize("path", WITH_EXAMPLES, ids=lambda path: str(path.relative_to(_TOP)))
def test_examples_in_docstrings_are_true(path):
    name = ".".join(("foldkeep", *path.relative_to(_TOP).with_suffix("").parts))
    found = doctest.testmod(importlib.import_module(name))
    assert found.attempted > 0
    assert found.failed == 0


@pytest.mark.parametrize(
    ("name", "start", "found"),
    [
        ("a.jpg", b"\xff\xd8\xff\xe0", None),
        ("a.png", b"\xff\xd8\xff\xe0", "JPEG"),
        ("a.JPG", b"\x89PNG\r\n\x1a\n", "PNG"),
        ("a.gif", b"GIF89a", None),
        ("a.nef", b"MM\0*", None),
        ("a.jpg", b"II*\0", "TIFF"),
        ("a.wav", b"RIFF\1\2\3\4WAVE", None),
        ("a.avi", b"RIFF\1\2\3\4WEBP", "WebP"),
        ("a.mov", b"\0\0\0\x18ftypqt  ", None),
        ("a.jpg", b"\0\0\0\x18ftypheic", "HEIF"),
        ("a.heic", b"\0\0\0\x18ftypmp42", "MP4"),
        ("a.mkv", b"\x1aE\xdf\xa3", None),
        ("a.flac", b"ID3\3", None),  # a tag in front of it
        ("a.ogg", b"ID3\3", "MP3"),
        ("a.zip", b"%PDF-1.7", "PDF"),
        ("a.jpg", b"who knows", None),
        ("a.txt", b"PK\x03\x04", None),  # this suffix promises nothing
        ("jpg", b"\x89PNG\r\n\x1a\n", None),
        ("a.png", b"", None),
    ],
)
def test_first_bytes_contradict_a_suffix_that_promises_something_else(name, start, found):
    assert contradiction(name.encode(), start) == found


@given(st.binary(max_size=40))
def test_any_first_bytes_are_taken(start):
    assert contradiction(b"kite.jpg", start) in (None, "PNG", "GIF", "TIFF", "Matroska", "FLAC", "Ogg", "ZIP", "PDF",
                                                 "MP3", "WAV", "AVI", "WebP", "HEIF", "MP4")  # fmt: skip
