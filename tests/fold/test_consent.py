"""What may be deleted for good though nothing has its content: a table of evidence and consent."""

import errno
import os
import re
from contextlib import nullcontext
from types import SimpleNamespace

import pytest
from blake3 import blake3

from foldkeep.fold.methods.moving import remove_compared
from foldkeep.fold.removing.disk import CHANGED, GONE
from foldkeep.fold.runs.grades import Consent
from foldkeep.model import RunFile
from foldkeep.model.grades import Grade
from foldkeep.model.recipes import Cookbook, Recipe
from foldkeep.model.runs import RunFileState, SourceFacts
from foldkeep.storage.local.changes import names
from foldkeep.storage.local.reading import NotSafe, Stamp, Stamps
from harness.desks import Desk, pair

NOBODY, LIKELY, ALIKE = Consent(), Consent(likely=True), Consent(alike=True)
RECIPE = Recipe("kite renders", "render", ("**/renders/*",), "stem")
NAMED = Consent(recipes=Cookbook([RECIPE]))
TRUSTED = Consent(recipes=Cookbook([RECIPE._replace(trust=True)]))


def file(grade: Grade | None, keeper: bytes = b"/p/a.mov", recipe: str = "") -> RunFile:
    source = SourceFacts(9, 0, b"", grade, recipe)
    return RunFile(1, 1, b"/p", b"/p/renders/a.mp4", "000001.mp4", 9, 0, bytes(32), keeper, RunFileState.WAITING,
                   source=source)  # fmt: skip


@pytest.mark.parametrize(
    ("consent", "evidence", "why"),
    [
        (NOBODY, file(Grade.PROVED), ""),
        (NOBODY, file(Grade.LIKELY), "say --likely"),
        (LIKELY, file(Grade.LIKELY), ""),
        (LIKELY, file(Grade.PERHAPS), "nothing proves"),
        (LIKELY, file(Grade.TRUSTED), "nothing proves"),  # the word was given when it was folded, not now
        (NAMED, file(Grade.TRUSTED), "say it here too: --trust 'kite renders'"),
        (NAMED, file(Grade.PERHAPS, recipe="kite renders"), "say it here too"),
        (TRUSTED, file(Grade.TRUSTED), ""),
        (TRUSTED, file(Grade.PERHAPS, recipe="kite renders"), ""),
        (NOBODY, file(None, b"/p/renders/CACHEDIR.TAG"), ""),  # an earlier Fold Keep took a tag's word
        (NOBODY, file(None), "nothing proves"),
        (NOBODY, file(Grade.PERHAPS, b"/p/renders/CACHEDIR.TAG"), "nothing proves"),
        (LIKELY, file(Grade.ALIKE), "is only alike its keeper /p/a.mov; look at both, then say --allow-alike"),
        (ALIKE, file(Grade.ALIKE), ""),
        (LIKELY, file(Grade.DECODED), "decodes to the same"),
        (ALIKE, file(Grade.DECODED), ""),
        (ALIKE, file(Grade.LIKELY), "say --likely"),
        (NOBODY, file(Grade.PROVED)._replace(source=None), "nothing proves"),
    ],
)
def test_nothing_goes_for_good_without_evidence_or_consent(consent: Consent, evidence: RunFile, why: str):
    if not why:
        consent.check(evidence)
        return
    with pytest.raises(NotSafe) as refused:
        consent.check(evidence)
    assert why in str(refused.value)


def test_names_of_one_file_are_known_as_such_after_a_fold_by_hard_links(desk: Desk):
    """Nothing is read again, and nothing is proposed of what takes no space any more."""
    keeper, spare = pair(desk)
    desk.proposed()
    assert desk.ask("fold", desk.docket, "--yes", "--method", "hard-link")["folded"] == 1
    assert keeper.samefile(spare)
    known = {each["path"] for each in desk.ask("list")["files"]}
    assert {str(keeper), str(spare)} <= known
    assert desk.ask("duplicates")["totals"]["reclaimable"] == 0
    assert desk.ask("scan", desk.place)["read_bytes"] == 0
    readme = desk.place / ".foldkeep/README.txt"
    assert readme.stat().st_mode & 0o777 == 0o644


@pytest.mark.parametrize(
    ("spare", "witness", "stands", "why"),
    [
        (b"kite", b"kite", True, None),
        (b"kite", b"sail", True, GONE),  # no time tells of it: the content is read
        (b"kite", b"kite", False, GONE),
        (b"sail", b"kite", True, CHANGED),
        (b"sail", b"sail", True, CHANGED),  # both were edited alike: it is not what was folded
    ],
)
def test_what_is_deleted_since_another_has_it_is_read_with_that_then_and_there(
    tmp_path, spare: bytes, witness: bytes, stands: bool, why: str | None
):
    (tmp_path / "spare").write_bytes(spare)
    (tmp_path / "witness").write_bytes(witness)
    folder = os.open(tmp_path, os.O_RDONLY | os.O_DIRECTORY)
    bench = SimpleNamespace(is_still=lambda *_: stands, stamps=Stamps())
    stamp = Stamp.of(os.stat(tmp_path / "witness"))
    try:
        with nullcontext() if why is None else pytest.raises(NotSafe, match=re.escape(why or "")):
            remove_compared(bench, (folder, b"spare"), (folder, b"witness"), blake3(b"kite").digest(), stamp)
    finally:
        os.close(folder)
    assert (tmp_path / "spare").exists() == (why is not None)
    assert (tmp_path / "witness").exists()


@pytest.mark.parametrize("code", [errno.EROFS, errno.EIO, errno.EPERM])
def test_a_link_that_was_made_though_it_was_said_to_fail_takes_nobodys_name(tmp_path, monkeypatch, code: int):
    """A server may do what it is asked, and lose the answer: the file keeps one name, or gets the other one whole."""
    (tmp_path / "here").write_bytes(b"kite")
    real = os.link

    def link(*args, **named):
        real(*args, **named)
        raise OSError(code, os.strerror(code))

    monkeypatch.setattr(names, "_libc_rename", lambda: None)
    monkeypatch.setattr(os, "link", link)
    folder = os.open(tmp_path, os.O_RDONLY | os.O_DIRECTORY)
    try:
        with nullcontext() if code == errno.EPERM else pytest.raises(OSError, match=os.strerror(code)):
            names.move(folder, b"here", folder, b"there")
    finally:
        os.close(folder)
    assert os.listdir(tmp_path) == ["there" if code == errno.EPERM else "here"]
