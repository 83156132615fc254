"""Dockets that are saved in place: nothing of another program's is written over."""

import os
from collections.abc import Callable, Iterable

from blake3 import blake3

from foldkeep.formats import opened_file
from foldkeep.formats.own import new_file
from foldkeep.model import DocketRow

from ..by_hand import is_by_hand
from ..docket import origin_of, read_choices, rewrite_docket, write_docket

PROPOSED = "as-proposed"


class DocketFile:
    """A docket that a person decides in, as it was read.

    Raises UnusableInput as `read_choices` does.
    """

    def __init__(self, path: str) -> None:
        self.path = path
        self.rows = read_choices(path)
        self.digest = file_digest(path)
        self._origin = origin_of(path)
        self._is_ours = self._origin is not None
        self.proposal = ""

    def save(self, rows: Iterable[DocketRow], note: Callable[[str], None], beside: str = "") -> str:
        """Save decisions, and return where: in place if the file is byte for byte what was read, else in a new one.

        Before the first time in place the proposal is kept beside, as `proposal` tells.

        Parameters
        ----------
        note
            Called with the digest that the docket is about to have in place.
        beside
            A new file to save in, whatever was read.
        """
        if beside or not self._is_ours or file_digest(self.path) != self.digest:
            self.path = write_docket(beside or self.path, rows)
            self._origin, self._is_ours = "", True
            self.proposal = self.path
        else:
            self.proposal = self.proposal or keep_proposal(self.path, self.rows)
            real = os.path.realpath(self.path)
            rewrite_docket(real, rows, self._origin or "", lambda new: note(file_digest(new)))
        self.digest = file_digest(self.path)
        return self.path


def keep_proposal(path: str, rows: Iterable[DocketRow]) -> str:
    """Write a docket once more beside itself, unless an earlier review did; return where."""
    begin, ending = os.path.splitext(path)
    beside = f"{begin}-{PROPOSED}{ending}"
    if os.path.exists(beside) and (any(map(is_by_hand, rows)) or file_digest(beside) == file_digest(path)):
        return beside
    with opened_file(path) as read, new_file(beside) as (target, stream):
        stream.write(read.read())
        stream.flush()
        os.fsync(stream.fileno())
    return target


def file_digest(path: str) -> str:
    """Return the BLAKE3 digest of a docket's bytes as hexadecimal digits; empty if it cannot be read."""
    digest = blake3()
    try:
        with opened_file(path) as stream:
            while block := stream.read(1 << 20):
                digest.update(block)
    except OSError:
        return ""
    return digest.hexdigest()
