"""Projects: what lies in each, what they use, who uses them, and which have gone quiet."""
