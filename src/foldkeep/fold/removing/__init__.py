"""THE ONLY PLACE WHERE ANYTHING IS DELETED: contents of users on a disk and on a server, and what we made ourselves.

`disk` and `server` read a file, have it vouched for, and look at what vouches once more after; `own` takes away what
this program made under a name of its own, or what was proved to be that. Nothing else in this room deletes a file:
`scripts/removals.py` checks that.
"""
