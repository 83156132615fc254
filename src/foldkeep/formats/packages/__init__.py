"""Packages of any form, looked into without being unpacked, and in bounded memory."""

from typing import TYPE_CHECKING

from foldkeep.model.faces import names_of

if TYPE_CHECKING:
    from . import bagit
    from .bagit import BadPackage
    from .forms import UNFINISHED, open_package
    from .listings import Form, Listed, Listing, ListingHead, Owner, listed, listing_text
    from .names import Named, Names
    from .package import Package, Stream

__all__ = [
    "bagit",
    "UNFINISHED",
    "open_package",
    "Named",
    "Names",
    "Package",
    "Stream",
    "BadPackage",
    "Form",
    "Listed",
    "Listing",
    "ListingHead",
    "Owner",
    "listed",
    "listing_text",
]

__getattr__ = names_of(__name__, __file__)
