"""Fold Keep: find copies by content, keep the right one, fold the rest away so that it can come back."""

__version__ = "0.2.0"
