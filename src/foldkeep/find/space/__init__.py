"""Space: where it goes."""
