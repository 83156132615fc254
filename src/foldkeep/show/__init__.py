"""What people look at, and every JSON document. Takes answers, computes none."""
