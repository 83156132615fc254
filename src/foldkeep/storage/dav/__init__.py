"""WebDAV (RFC 4918): a server's folders and files, asked and changed over HTTP."""

from .storage import DavStorage

__all__ = ["DavStorage"]
