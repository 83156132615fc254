"""Two sides compared, and inventories of places to compare with."""
