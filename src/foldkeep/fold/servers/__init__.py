"""Folds on servers: the same ways in and on as on a disk, where nothing can be added to a file or flushed."""
