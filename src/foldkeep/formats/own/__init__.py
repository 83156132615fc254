"""Fold Keep's own files: dockets, inventories, recipes and settings."""
