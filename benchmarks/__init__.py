"""What Fold Keep costs, measured beside what a user would type instead."""
