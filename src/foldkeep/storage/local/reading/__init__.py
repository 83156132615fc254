"""Opening and reading without following links, and telling files apart: digests, stamps."""

from typing import TYPE_CHECKING

from foldkeep.model.faces import names_of

if TYPE_CHECKING:
    from .digests import READ_BUFFER, digest_in, digest_of, has_digest, same_content
    from .identity import (
        Identity,
        NotSafe,
        Stamp,
        Stamps,
        check_unchanged,
        clamped_ns,
        is_regular,
        may_be_one,
        may_have_one,
        modified_ns,
    )
    from .opening import (
        FILE,
        FOLDER,
        facts_at,
        facts_of,
        forget_pages,
        open_below,
        open_in,
        open_path,
        open_top,
        opened,
    )

__all__ = [
    "FILE",
    "FOLDER",
    "open_path",
    "open_below",
    "open_in",
    "open_top",
    "opened",
    "facts_at",
    "facts_of",
    "forget_pages",
    "READ_BUFFER",
    "digest_of",
    "digest_in",
    "has_digest",
    "same_content",
    "Identity",
    "Stamp",
    "Stamps",
    "NotSafe",
    "check_unchanged",
    "may_be_one",
    "may_have_one",
    "is_regular",
    "modified_ns",
    "clamped_ns",
]

__getattr__ = names_of(__name__, __file__)
