"""The journal: what is about to be done to each file of a run, written beside the files themselves."""

from typing import TYPE_CHECKING

from foldkeep.model.faces import names_of

if TYPE_CHECKING:
    from .file import NAMES, Journal, UnknownJournal, journal_in
    from .records import (
        VERSION,
        Begun,
        FolderEmptied,
        FolderLeft,
        FolderMade,
        FolderReturned,
        FolderReturning,
        FolderTouched,
        Going,
        History,
        Record,
        Released,
        Releasing,
        Returned,
        Returning,
        Went,
        absolute_path,
        folder_tales,
        histories,
        relative_name,
    )

__all__ = [
    "Journal",
    "UnknownJournal",
    "journal_in",
    "NAMES",
    "VERSION",
    "Record",
    "Begun",
    "Going",
    "Went",
    "Returning",
    "Returned",
    "Releasing",
    "Released",
    "FolderMade",
    "FolderEmptied",
    "FolderReturning",
    "FolderReturned",
    "FolderTouched",
    "FolderLeft",
    "History",
    "histories",
    "folder_tales",
    "relative_name",
    "absolute_path",
]

__getattr__ = names_of(__name__, __file__)
