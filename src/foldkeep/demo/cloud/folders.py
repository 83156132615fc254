"""What the cloud keeps: files and folders on this machine's disk, as WebDAV tells of them."""

import os
from typing import Any
from xml.etree import ElementTree

from wsgidav.dav_error import HTTP_FORBIDDEN, HTTP_INSUFFICIENT_STORAGE, DAVError
from wsgidav.fs_dav_provider import FileResource, FilesystemProvider, FolderResource

from .account import Account

ME, SOMEBODY = "/principals/media-desk", "/principals/stage-crew"
_D = "{DAV:}"
_MINE = ("read", "write", "unbind", "bind", "write-content")


class _Owned:
    """What files and folders of the cloud have in common."""

    path: str
    provider: "CloudProvider"
    _file_path: str

    def get_property_names(self, *, is_allprop: bool) -> list[str]:
        """Return the names of properties, with those of RFC 3744 that are asked for by name."""
        names: list[str] = super().get_property_names(is_allprop=is_allprop)  # type: ignore[misc]
        return names if is_allprop else [*names, *(_D + each for each in _TOLD)]

    def get_property_value(self, name: str) -> Any:
        """Return the value of a property."""
        told = _TOLD.get(name.removeprefix(_D))
        if told is None:
            return super().get_property_value(name)  # type: ignore[misc]
        return told(self.provider.account.is_shared(self.path))

    def delete(self) -> None:
        """Move it into the bin."""
        self._check_mine()
        self.provider.account.throw_away(self._file_path)
        self.remove_all_locks(recursive=True)  # type: ignore[attr-defined]

    def move_recursive(self, dest_path: str) -> None:
        """Move it, never onto something."""
        self._check_mine()
        if self.provider.account.is_shared(dest_path):
            raise DAVError(HTTP_FORBIDDEN)
        super().move_recursive(dest_path)  # type: ignore[misc]

    def _check_mine(self) -> None:
        if self.provider.account.is_shared(self.path):
            raise DAVError(HTTP_FORBIDDEN)


def _href_in(name: str, href: str) -> Any:
    element = ElementTree.Element(_D + name)
    ElementTree.SubElement(element, _D + "href").text = href
    return element


def _rights(is_shared: bool) -> Any:
    element = ElementTree.Element(_D + "current-user-privilege-set")
    for right in _MINE[:1] if is_shared else _MINE:
        ElementTree.SubElement(ElementTree.SubElement(element, _D + "privilege"), _D + right)
    return element


_TOLD = {
    "owner": lambda is_shared: _href_in("owner", SOMEBODY if is_shared else ME),
    "current-user-principal": lambda _: _href_in("current-user-principal", ME),
    "current-user-privilege-set": _rights,
}


class CloudFile(_Owned, FileResource):  # type: ignore[misc]
    """A file in the cloud."""

    def get_etag(self) -> str:
        """Return what changes with every change, also one that puts size and time back (a strong tag)."""
        facts = self.file_stat
        return f"{facts.st_ino}-{facts.st_size}-{facts.st_mtime_ns}-{facts.st_ctime_ns}"

    def begin_write(self, *, content_type: str | None = None) -> Any:
        """Open it for writing, unless the quota forbids it."""
        self._check_mine()
        self.provider.check_room(self.environ)
        return super().begin_write(content_type=content_type)


class CloudFolder(_Owned, FolderResource):  # type: ignore[misc]
    """A folder in the cloud."""

    def get_used_bytes(self) -> int:
        """Return what counts against the quota (RFC 4331)."""
        return self.provider.account.used()

    def get_available_bytes(self) -> int:
        """Return what may be added (RFC 4331)."""
        return self.provider.account.available()

    def create_empty_resource(self, name: str) -> Any:
        """Make a file that is to be written, unless the quota forbids it."""
        self._check_mine()
        self.provider.check_room(self.environ)
        return super().create_empty_resource(name)

    def create_collection(self, name: str) -> None:
        """Make a folder."""
        self._check_mine()
        super().create_collection(name)


class CloudProvider(FilesystemProvider):  # type: ignore[misc]
    """Shows an account over WebDAV."""

    def __init__(self, account: Account) -> None:
        super().__init__(account.files, fs_opts={})
        self.account = account

    def get_resource_inst(self, path: str, environ: dict[str, Any]) -> Any:
        """Return what lies at a path on the server; None if nothing does."""
        self._count_get_resource_inst += 1
        place = self._loc_to_file_path(path, environ)
        if not os.path.lexists(place):
            return None
        return (CloudFolder if os.path.isdir(place) else CloudFile)(path, environ, place)

    def check_room(self, environ: dict[str, Any]) -> None:
        """Raise an error of WebDAV (507) if a body that comes has no room."""
        if int(environ.get("CONTENT_LENGTH") or 0) > self.account.available():
            raise DAVError(HTTP_INSUFFICIENT_STORAGE)
