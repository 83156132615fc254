"""What was said of spares, by their sidecars and by catalogues, is said of their keepers."""
