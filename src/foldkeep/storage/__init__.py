"""Where files lie: one sub-room a storage. So far there is one, the computer's own file systems."""
