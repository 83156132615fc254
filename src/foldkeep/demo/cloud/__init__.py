"""A small cloud on this machine: WebDAV with a quota, a bin, somebody else's shared folder, and faults."""

from typing import TYPE_CHECKING

from foldkeep.model.faces import names_of

if TYPE_CHECKING:
    from .faults import Fault, Faults
    from .server import Cloud, CloudOptions

__all__ = ["Cloud", "CloudOptions", "Fault", "Faults"]

__getattr__ = names_of(__name__, __file__)
