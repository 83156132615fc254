"""What Fold Keep itself writes into folds: known by where it lies and by its parsed content."""

import json

from foldkeep.model.names import FOLD_NAME

_README = b"Files that Fold Keep folded away wait here, whole."
_JOURNALS = (b"journal.jsonl", b"journal-2.jsonl")
_LOCK_WORDS = frozenset({"work", "process", "start", "host", "boot", "since"})


def is_own_paper(path: bytes, content: bytes) -> bool:
    """Tell whether a file in a fold is its note to people, its lock, its mark or the journal of a run.

    What waits in a fold, and what is kept of released files, is no paper: it is what somebody made.
    """
    steps = path.split(b"/")
    if FOLD_NAME not in steps[-3:-1]:
        return False
    name = steps[-1]
    if steps[-2] != FOLD_NAME:
        return name in _JOURNALS and all(map(_is_line, content.rstrip(b" \n\0").split(b"\n")))
    if name == b"README.txt":
        return content.startswith(_README)
    told = _told(content)
    if name == b"lock":
        return not content or (bool(told) and told.keys() <= _LOCK_WORDS)
    return name == b"place" and str(told.get("place", "")).startswith("urn:uuid:") and told.keys() <= {"place", "stays"}


def _is_line(line: bytes) -> bool:
    return not line.strip(b" \0") or not {"do", "done", "run"}.isdisjoint(_told(line))


def _told(text: bytes) -> dict[str, object]:
    try:
        told = json.loads(text.strip(b" \n\0"))
    except (ValueError, RecursionError):
        return {}
    return told if isinstance(told, dict) else {}
