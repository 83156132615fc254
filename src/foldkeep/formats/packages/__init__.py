"""Packages of any form, looked into without being unpacked, and in bounded memory."""

from .forms import UNFINISHED, open_package
from .names import Named, Names
from .package import Package, Stream

__all__ = ["open_package", "Package", "Stream", "Named", "Names", "UNFINISHED"]
