"""A small cloud on this machine: WebDAV with a quota, a bin, somebody else's shared folder, and faults."""

from .faults import Fault, Faults
from .server import Cloud, CloudOptions

__all__ = ["Cloud", "CloudOptions", "Fault", "Faults"]
