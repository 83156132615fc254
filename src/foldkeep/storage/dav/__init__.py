"""WebDAV (RFC 4918): a server's folders and files, asked and changed over HTTP."""

from typing import TYPE_CHECKING

from foldkeep.model.faces import names_of

if TYPE_CHECKING:
    from .storage import DavStorage

__all__ = ["DavStorage"]

__getattr__ = names_of(__name__, __file__)
