"""Volumes: which one, what it can do, whose mark and whose lock it bears, and whether it answers."""

from typing import TYPE_CHECKING

from foldkeep.model.faces import names_of

if TYPE_CHECKING:
    from .capabilities import PROBE, capabilities_of, limits_of
    from .disks import DiskFinder
    from .locks import LOCK_NAME, hold_places
    from .marks import MARK_NAME, is_our_mark, mark_of, mark_stays, new_mark, write_mark
    from .paths import real_name, real_path
    from .volumes import (
        ANSWER_SECONDS,
        answers,
        has_one_device,
        is_local,
        is_read_only,
        keeps_change_times,
        keeps_inodes,
        may_fall_silent,
        mounted_volumes,
        volume_of,
    )

__all__ = [
    "ANSWER_SECONDS",
    "answers",
    "DiskFinder",
    "has_one_device",
    "is_local",
    "is_read_only",
    "keeps_change_times",
    "keeps_inodes",
    "may_fall_silent",
    "mounted_volumes",
    "volume_of",
    "PROBE",
    "capabilities_of",
    "limits_of",
    "MARK_NAME",
    "is_our_mark",
    "mark_of",
    "mark_stays",
    "new_mark",
    "write_mark",
    "LOCK_NAME",
    "hold_places",
    "real_name",
    "real_path",
]

__getattr__ = names_of(__name__, __file__)
