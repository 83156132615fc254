"""Texts that the schedulers of operating systems take: units, lines of a crontab, property lists."""

from typing import TYPE_CHECKING

from foldkeep.model.faces import names_of

if TYPE_CHECKING:
    from .texts import (
        DUE,
        LAUNCHD_LABEL,
        MOST_BYTES,
        crontab_lines,
        launchd_plist,
        reminder_in,
        systemd_service,
        systemd_timer,
        without_reminder,
    )

__all__ = [
    "DUE",
    "LAUNCHD_LABEL",
    "MOST_BYTES",
    "crontab_lines",
    "launchd_plist",
    "reminder_in",
    "systemd_service",
    "systemd_timer",
    "without_reminder",
]

__getattr__ = names_of(__name__, __file__)
