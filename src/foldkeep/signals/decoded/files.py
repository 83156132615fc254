"""What files decode to, by their paths."""

from typing import Any

from foldkeep.storage.local.reading import FILE, open_path

from ..media import undecodable
from .finding import NotDecoded
from .stills import is_still, still_finding
from .tracks import tracks_finding


def decoded(path: bytes) -> dict[str, Any]:
    """Return what a file decodes to, as `Finding.known` gives it; or `none`, why that cannot be told.

    Raises
    ------
    OSError
        If the system does not let it be read.
    """
    try:
        with open(open_path(path, FILE), "rb") as file:
            return (still_finding(file) if is_still(file) else tracks_finding(file)).known()
    except NotDecoded as error:
        return {"none": str(error)}
    except Exception as error:  # these libraries raise whatever a broken file leads them to
        return {"none": undecodable(error)}
