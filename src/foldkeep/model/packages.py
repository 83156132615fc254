"""Packages: the forms in which projects are archived."""

FORMATS = ("folder", "tar", "tar.zst", "zip", "iso")
