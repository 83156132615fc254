"""The commands, one module each: its help, its options, and what carries it out."""
