"""Where files lie: one protocol, and one sub-room a storage. So far there is one, the computer's own file systems."""

from . import local
from .protocol import Storage

LOCAL: Storage = local

__all__ = ["LOCAL", "Storage"]
