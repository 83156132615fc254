"""Readers of other people's files: whatever comes, an answer or an error of ours, in bounded memory and time."""

import os
from pathlib import Path

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from harness.hostile import READERS, answers, seeds

EXAMPLES = 5000 if "FOLDKEEP_EXPLORE" in os.environ else 10


PIECES = [
    b"\0", b"\xff\xfe", b"9" * 5000, b"1e999", b"-Infinity", b"NaN", b"[" * 3000, b"{" * 3000, b"<a>" * 3000, b"%00",
    b"file://[x/a", b"\\ud83d", b"\\u0000", b"&#0;", b"&#x110000;", b'"', b"'", b"\n", b"\r", b"../" * 50, b"utf-7",
    b"idna", b"zlib", b"true", b"null", b"[]", b"{}", b"0", b"-1", b"18446744073709551616", b"1e30", b"*" * 60,
]  # fmt: skip
edits = st.lists(
    st.tuples(st.sampled_from(["cut", "put", "copy", "flip"]), st.integers(0, 10_000), st.sampled_from(PIECES)),
    min_size=1, max_size=4,
)  # fmt: skip


def edited(content: bytes, changes: list[tuple[str, int, bytes]]) -> bytes:
    for what, at, piece in changes:
        at %= len(content) + 1
        if what == "cut":
            content = content[:at]
        elif what == "put":
            content = content[:at] + piece + content[at + len(piece) % 7 :]
        elif what == "copy":
            content = content[:at] + content[at // 2 :]
        elif content:
            at %= len(content)
            content = content[:at] + bytes([content[at] ^ (1 << (len(piece) % 8))]) + content[at + 1 :]
    return content


@pytest.mark.parametrize("reader", READERS)
@settings(
    max_examples=EXAMPLES,
    deadline=None,
    suppress_health_check=[HealthCheck.function_scoped_fixture],
)
@given(data=st.data(), changes=edits)
def test_a_changed_file_is_an_answer_or_an_error_of_ours(tmp_path: Path, reader: str, data, changes):
    path = tmp_path / "file"
    path.write_bytes(edited(data.draw(st.sampled_from(seeds()[reader])), changes))
    answers(reader, path)
