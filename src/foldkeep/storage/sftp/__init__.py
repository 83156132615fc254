"""SFTP (version 3, as SSH servers speak it): a server's folders and files, asked and changed over SSH."""

from typing import TYPE_CHECKING

from foldkeep.model.faces import names_of

if TYPE_CHECKING:
    from .storage import SftpStorage

__all__ = ["SftpStorage"]

__getattr__ = names_of(__name__, __file__)
