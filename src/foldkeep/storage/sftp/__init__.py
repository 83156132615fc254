"""SFTP (version 3, as SSH servers speak it): a server's folders and files, asked and changed over SSH."""

from .storage import SftpStorage

__all__ = ["SftpStorage"]
