"""Paths as people type them, brought to the one way in which a walk from the top spells them."""

import os
import unicodedata

from foldkeep.model import PathBytes
from foldkeep.model.machines import is_elsewhere
from foldkeep.model.remote import is_address, remote_path

from .volumes import answers


def real_path(path: PathBytes) -> PathBytes:
    """Return a path with no symbolic link in it, and each step spelled as the folder lists it; of the address of a
    server, the path that it means.

    Where case does not count, or names are kept in another normal form, one folder has many paths; a place has one.
    What lies on a share that does not answer is not looked at. A path on another machine is left as it is, unless
    something of this one has it: two slashes may stand for one.
    """
    if is_address(path):
        return remote_path(path)
    if is_elsewhere(path) and not os.path.lexists(path):
        return path.rstrip(b"/")
    if not answers(path):
        return os.path.abspath(path)
    steps = os.path.realpath(path).strip(b"/").split(b"/")
    spelled = b"/"
    for step in filter(None, steps):
        spelled = os.path.join(spelled, _listed(spelled, step))
    return spelled


def real_name(path: PathBytes) -> PathBytes:
    """Return the path of a file as `real_path` does, but for the file's own name, which may be a symbolic link."""
    if is_address(path):
        return remote_path(path)
    folder, name = os.path.split(path)
    folder = real_path(folder or b".")
    return os.path.join(folder, _listed(folder, name))


def _listed(folder: PathBytes, step: bytes) -> bytes:
    """Return a name as its folder lists it; as it is if it stands alone there, or nothing tells."""
    others = _other_spellings(step)
    try:
        if not any(os.path.lexists(os.path.join(folder, other)) for other in others):
            return step
        names = set(os.listdir(folder))
    except OSError:
        return step
    alike = sorted(name for name in names if _folded(name) == _folded(step))
    return alike[0] if step not in names and len(alike) == 1 else step


def _other_spellings(step: bytes) -> list[bytes]:
    try:
        text = step.decode()
    except UnicodeDecodeError:
        return []
    spellings = {text.swapcase(), *(unicodedata.normalize(form, text) for form in ("NFC", "NFD"))} - {text}
    return [spelling.encode() for spelling in spellings]


def _folded(name: bytes) -> str:
    return unicodedata.normalize("NFC", name.decode("utf-8", "surrogateescape")).casefold()
