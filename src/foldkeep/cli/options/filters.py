"""The filters that every listing command takes, in the same words."""

import argparse
import os
import time
from datetime import timedelta

from foldkeep.model import Filter, Role
from foldkeep.model.units import format_size

from .option import Option, Takes

ROLES = tuple(map(str, Role))
_GROUP = "filters; a repeated one matches any of its values"
FILTERS = (
    Option(
        "--kind", "photo, video, audio, document, packed, sidecar, …", Takes.KIND, "KIND", several=True, group=_GROUP
    ),
    Option("--under", "only files in this folder, at any depth", Takes.FOLDER, "DIR", several=True, group=_GROUP),
    Option("--not-under", "no files in this folder", Takes.FOLDER, "DIR", several=True, group=_GROUP),
    Option("--name", "only names like '*.jpg'", Takes.GLOB, "GLOB", several=True, group=_GROUP),
    Option("--not-name", "no names like that", Takes.GLOB, "GLOB", several=True, group=_GROUP),
    Option("--place", "only files in this place", Takes.PLACE, "LABEL", several=True, group=_GROUP),
    Option("--role", "only files in places of this role", Takes.WORD, choices=ROLES, several=True, group=_GROUP),
    Option("--larger-than", "larger than that: 200MB, 1.5GiB", Takes.SIZE, "SIZE", group=_GROUP),
    Option("--smaller-than", "smaller than that", Takes.SIZE, "SIZE", group=_GROUP),
    Option("--older-than", "last changed before: 5y, 6m, 2w", Takes.AGE, "AGE", group=_GROUP),
    Option("--newer-than", "last changed since", Takes.AGE, "AGE", group=_GROUP),
)
"""The filters, in the same words wherever files are listed."""


def wanted(args: argparse.Namespace) -> Filter:
    """Return the filter that the arguments ask for."""
    now = time.time_ns()

    def before_now(age: timedelta | None) -> int | None:
        return None if age is None else now - round(age.total_seconds() * 1e9)

    def folders(paths: list[str]) -> tuple[bytes, ...]:
        if not paths:
            return ()
        from foldkeep.storage.local.drives import real_path

        return tuple(real_path(os.fsencode(path)) for path in paths)

    return Filter(
        kinds=tuple(args.kind),
        roles=tuple(Role(role) for role in args.role),
        places=tuple(args.place),
        under=folders(args.under),
        not_under=folders(args.not_under),
        names=tuple(args.name),
        not_names=tuple(args.not_name),
        larger_than=args.larger_than,
        smaller_than=args.smaller_than,
        modified_before_ns=before_now(args.older_than),
        modified_after_ns=before_now(args.newer_than),
    )


def filter_words(args: argparse.Namespace) -> str:
    """Return the filters of a command line as words, to be remembered with what they led to."""
    several = {
        "of kind": args.kind, "under": args.under, "not under": args.not_under, "named": args.name,
        "not named": args.not_name, "in": args.place, "in places of role": args.role,
    }  # fmt: skip
    words = [f"{word} {' or '.join(values)}" for word, values in several.items() if values]
    for word, size in (("larger than", args.larger_than), ("smaller than", args.smaller_than)):
        words += [] if size is None else [f"{word} {format_size(size)}"]
    for word, age in (("not changed for", args.older_than), ("changed in the last", args.newer_than)):
        words += [] if age is None else [f"{word} {age.days:,} days"]
    return ", ".join(words)
