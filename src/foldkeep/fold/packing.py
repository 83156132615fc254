"""What goes into the package of a project: looked at on the disk, then and there, before anything is written."""

import os
import stat
from collections import Counter
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field, replace

from blake3 import blake3

from foldkeep.find import Project, UsesOfAll
from foldkeep.formats import Form, Listed, bagit
from foldkeep.model import FOLD_NAME, Grade, Problem, UnusableInput, beside, reason_of, visible
from foldkeep.storage.local import FOLDER, facts_at, open_path

_BLOCK = 512
_LONGEST_NAME = 240  # bytes; most systems take 255
_LONGEST_PACKAGE = 215  # what is unfinished has more behind it, and a number perhaps
_LONGEST_SUFFIX = 12
_OUTSIDE = "outside media"


@dataclass(frozen=True, slots=True)
class Packed:
    """A name to be archived: what the listing is to say of it, and what was there when it was looked at.

    `source` is its absolute path; the digest in `listed` comes when it is read.
    """

    source: bytes
    listed: Listed
    facts: os.stat_result


@dataclass
class Packing:
    """What goes into a package.

    Attributes
    ----------
    project
        The folder that is archived.
    facts
        What the system says of it.
    entries
        All names, folders before what is in them.
    left_out
        Files that can be made again from what is in the package and that nobody uses, with their sizes.
    left_out_recipes
        The grade of each of these, and the recipe that takes it.
    left_out_whats
        Bytes of these by what they are.
    problems
        What cannot be archived: devices, pipes, what cannot be read.
    """

    project: bytes
    facts: os.stat_result
    entries: list[Packed] = field(default_factory=list)
    left_out: dict[bytes, int] = field(default_factory=dict)
    left_out_recipes: dict[bytes, tuple[Grade, str]] = field(default_factory=dict)
    left_out_whats: Counter[str] = field(default_factory=Counter)
    problems: list[Problem] = field(default_factory=list)

    @property
    def files(self) -> list[Packed]:
        """The files in it."""
        return [entry for entry in self.entries if entry.listed.form is Form.FILE]

    @property
    def bytes(self) -> int:
        """The sum of their sizes."""
        return sum(entry.listed.size for entry in self.files)

    @property
    def outside(self) -> list[Packed]:
        """Those of them that come from outside the project."""
        return [entry for entry in self.files if entry.listed.is_outside]


def plan_packing(project: Project, used: UsesOfAll, *, outside_media: bool = True, generated: bool = False) -> Packing:
    """Look at a project on the disk and return what goes into its package.

    Parameters
    ----------
    used
        What anybody uses of what can be made again in it.
    outside_media
        Bring in media that it uses from elsewhere.
    generated
        Bring in what can be made again as well.

    Raises
    ------
    UnusableInput
        If the project's folder is not there.
    """
    try:
        packing = Packing(project.path, facts_at(project.path))
        names = list(_walk(project.path, packing.problems))
    except OSError as error:
        raise UnusableInput(
            f"cannot read {visible(project.path)}: {reason_of(error)}", "connect its drive, or scan again"
        ) from error
    outside = _outside(project, packing.problems) if outside_media else []
    going = {path for path, facts in names if stat.S_ISREG(facts.st_mode)} | {path for path, _ in outside}
    lies_there = going - project.generated.keys()
    payloads = _Payloads(package_name(project.path))
    first_of: dict[tuple[int, int], bytes] = {}
    for path, facts in names:
        made = None if generated or not stat.S_ISREG(facts.st_mode) else project.generated.get(path)
        # Only what is made from something in the package can be made again from the package.
        # What a timeline uses as it is may have been made by hand after all.
        if made and made.source in lies_there and not used.mention(path):
            packing.left_out[path] = facts.st_size
            packing.left_out_recipes[path] = (made.grade, made.batch.recipe.name if made.batch.recipe else "")
            packing.left_out_whats[made.batch.what] += facts.st_size
            continue
        below = os.path.relpath(path, project.path)
        listed = _listed(path, below, facts, first_of, payloads)
        packing.entries.append(Packed(path, listed, facts))
    for path, facts in outside:
        listed = replace(_as_file(path.lstrip(b"/"), facts), payload=payloads.outside(path), is_outside=True)
        packing.entries.append(Packed(path, listed, facts))
    return packing


def _walk(top: bytes, problems: list[Problem]) -> Iterator[tuple[bytes, os.stat_result]]:
    """Yield every folder, file and link below a folder, in order, following no link."""
    ahead = _inside(top, problems)
    while ahead:
        path, facts = ahead.pop()
        if stat.S_ISDIR(facts.st_mode):
            yield path, facts
            try:
                ahead += _inside(path, problems)
            except OSError as error:
                problems.append(Problem(path, reason_of(error)))
        elif stat.S_ISREG(facts.st_mode) or stat.S_ISLNK(facts.st_mode):
            yield path, facts
        else:
            problems.append(Problem(path, "a device, pipe or socket, which cannot be archived"))


def _inside(top: bytes, problems: list[Problem]) -> list[tuple[bytes, os.stat_result]]:
    """Return what lies directly in a folder, the last by name first."""
    found = []
    folder = open_path(top, FOLDER)
    try:
        for name in sorted(map(os.fsencode, os.listdir(folder)), reverse=True):
            path = os.path.join(top, name)
            try:
                facts = os.stat(name, dir_fd=folder, follow_symlinks=False)
            except OSError as error:
                problems.append(Problem(path, reason_of(error)))
                continue
            if name == FOLD_NAME and stat.S_ISDIR(facts.st_mode):
                problems.append(Problem(path, "what waits in a fold is not archived; unfold or release it first"))
            else:
                found.append((path, facts))
    finally:
        os.close(folder)
    return found


def _outside(project: Project, problems: list[Problem]) -> list[tuple[bytes, os.stat_result]]:
    found = []
    for path in sorted(project.outside):
        try:
            facts = facts_at(path)
        except OSError as error:
            problems.append(Problem(path, f"the project uses it from elsewhere: {reason_of(error)}"))
            continue
        if stat.S_ISREG(facts.st_mode):
            found.append((path, facts))
    return found


def _listed(
    path: bytes, below: bytes, facts: os.stat_result, first_of: dict[tuple[int, int], bytes], payloads: "_Payloads"
) -> Listed:
    mode, modified_ns = stat.S_IMODE(facts.st_mode), facts.st_mtime_ns
    if stat.S_ISDIR(facts.st_mode):
        return Listed(Form.FOLDER, below, mode, modified_ns)
    if stat.S_ISLNK(facts.st_mode):
        return Listed(Form.LINK, below, mode, modified_ns, target=os.readlink(path))
    identity = (facts.st_dev, facts.st_ino)
    if facts.st_nlink > 1 and identity in first_of:
        return Listed(Form.SAME, below, mode, modified_ns, target=first_of[identity])
    first_of[identity] = below
    return replace(_as_file(below, facts), payload=payloads.inside(below))


def _as_file(path: bytes, facts: os.stat_result) -> Listed:
    is_sparse = facts.st_blocks * _BLOCK < facts.st_size
    mode = stat.S_IMODE(facts.st_mode)
    return Listed(Form.FILE, path, mode, facts.st_mtime_ns, size=facts.st_size, is_sparse=is_sparse)


class _Payloads:
    """Finds each file a place in the package whose name every system and every reader takes for one of its own."""

    def __init__(self, project: str) -> None:
        self._top = project
        self._names: dict[tuple[str, bytes], str] = {}
        self._taken: dict[str, set[str]] = {}

    def inside(self, path: bytes) -> str:
        """Return where a file of the project lies in the package."""
        return self._placed(self._top, path)

    def outside(self, path: bytes) -> str:
        """Return where a file from outside the project lies in the package."""
        top = _OUTSIDE if bagit.same_name(self._top) != _OUTSIDE else f"{_OUTSIDE} (2)"
        return self._placed(top, path.lstrip(b"/"))

    def _placed(self, top: str, path: bytes) -> str:
        where = f"{bagit.PAYLOAD}/{top}"
        for step in path.split(b"/"):
            where = f"{where}/{self._named(where, step)}"
        return where

    def _named(self, where: str, step: bytes) -> str:
        key = (where, step)
        if key not in self._names:
            taken = self._taken.setdefault(where, set())
            plain = _short_enough(bagit.plain_name(step), step)
            number = 1
            while bagit.same_name(name := os.fsdecode(beside(os.fsencode(plain), number))) in taken:
                number += 1
            taken.add(bagit.same_name(name))
            self._names[key] = name
        return self._names[key]


def package_name(project: bytes) -> str:
    """Return what a project's package is called, and the folder in it: a name that every reader of bags takes."""
    folder = os.path.basename(project) or b"project"
    name = bagit.plain_name(folder)
    if name.startswith("~"):  # which some shells and readers take for somebody's home
        name = f"=7E{name[1:]}"
    if name[1:2] == ":":  # and this for a drive
        name = f"{name[0]}=3A{name[2:]}"
    return _short_enough(name, folder, _LONGEST_PACKAGE)


def _short_enough(name: str, step: bytes, most: int = _LONGEST_NAME) -> str:
    """Return a name that systems take, with a number beside it if need be."""
    if len(name.encode()) <= most:
        return name
    stem, dot, suffix = name.rpartition(".")
    suffix = dot + suffix if stem and len(suffix) < _LONGEST_SUFFIX else ""
    kept = name.encode()[: most - 10 - len(suffix.encode())].decode("utf-8", "ignore")
    return f"{kept}={blake3(step).hexdigest()[:8]}{suffix}"


def payload_folders(packing: Packing) -> Mapping[str, None]:
    """Return the folders that the payload of a packing needs, those above first."""
    found: dict[str, None] = {}
    for entry in packing.files:
        steps = entry.listed.payload.split("/")[:-1]
        for count in range(1, len(steps) + 1):
            found["/".join(steps[:count])] = None
    return found
