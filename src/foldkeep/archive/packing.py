"""What goes into the package of a project: looked at on the disk, then and there, before anything is written."""

import os
import re
import stat
from collections import Counter
from collections.abc import Iterator, Mapping
from contextlib import suppress
from dataclasses import dataclass, field
from typing import NamedTuple

from blake3 import blake3

from foldkeep.find.projects import Project
from foldkeep.find.references import UsesOfAll
from foldkeep.formats.packages import Form, Listed, Owner, bagit
from foldkeep.model import Problem, UnusableInput, visible
from foldkeep.model.grades import Grade
from foldkeep.model.names import FOLD_NAME, beside
from foldkeep.model.work import reason_of
from foldkeep.storage.local.holes import data_ranges, has_holes
from foldkeep.storage.local.ownership import attributes_of, owner_names
from foldkeep.storage.local.reading import FILE, FOLDER, facts_at, open_path, opened

_LONGEST_NAME = 240  # bytes; most systems take 255
_LONGEST_PACKAGE = 215  # what is unfinished has more behind it, and a number perhaps
_LONGEST_SUFFIX = 12
_OUTSIDE = "outside media"
_DEEP = "deep folders"
_DEEPEST_ON_DISC = 4  # folders below that of the project, itself the third of at most eight
_LONGEST_ON_DISC = 150  # characters of a path, but for the last step
_LONGEST_NAME_ON_DISC = 48  # bytes; with a number and that of a piece behind it still at most 64
_DEVICE = re.compile(r"con|prn|aux|nul|(?:com|lpt)[0-9]", re.IGNORECASE)
_ESCAPED = {char: f"={ord(char):02X}" for char in '*:;?\\"<>|'}


class Packed(NamedTuple):
    """A name to be archived: what the listing is to say of it, and what was there when it was looked at.

    `source` is its absolute path; the digest in `listed` comes when it is read.
    """

    source: bytes
    listed: Listed
    facts: os.stat_result


@dataclass
class Packing:
    """Files that go into a package.

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
        The grade of each of these, the recipe that takes it, and what it was made from.
    left_out_whats
        Bytes of these by what they are.
    problems
        What cannot be archived: devices, pipes, what cannot be read.
    attributes
        Extended attributes of the project's folder.
    """

    project: bytes
    facts: os.stat_result
    entries: list[Packed] = field(default_factory=list)
    left_out: dict[bytes, int] = field(default_factory=dict)
    left_out_recipes: dict[bytes, tuple[Grade, str, bytes]] = field(default_factory=dict)
    left_out_whats: Counter[str] = field(default_factory=Counter)
    problems: list[Problem] = field(default_factory=list)
    attributes: tuple[tuple[bytes, bytes], ...] = ()

    @property
    def files(self) -> list[Packed]:
        """The files in it."""
        return [entry for entry in self.entries if entry.listed.is_content]

    @property
    def bytes(self) -> int:
        """The sum of their sizes."""
        return sum(entry.listed.size for entry in self.files)

    @property
    def outside(self) -> list[Packed]:
        """Those of them that come from outside the project."""
        return [entry for entry in self.files if entry.listed.is_outside]


def plan_packing(
    project: Project,
    used: UsesOfAll,
    *,
    outside_media: bool = True,
    generated: bool = False,
    for_disc: bool = False,
    plain: bool = False,
) -> Packing:
    """Look at a project on the disk and return what goes into its package.

    Parameters
    ----------
    used
        What anybody uses of what can be made again in it.
    outside_media
        Bring in media that it uses from elsewhere.
    generated
        Bring in what can be made again as well.
    for_disc
        Name what is in it such that a disc of any kind can have the names.
    plain
        Name it such that FAT and exFAT can have the names.

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
    payloads = _Payloads(package_name(project.path), for_disc=for_disc, plain=plain)
    look = _Looking(packing, payloads)
    for path, facts in names:
        made = None if generated or not stat.S_ISREG(facts.st_mode) else project.generated.get(path)
        # Only what is made from something in the package can be made again from the package.
        # What a timeline uses as it is may have been made by hand after all.
        if made and made.source in lies_there and not used.mention(path):
            packing.left_out[path] = facts.st_size
            recipe = made.batch.recipe.name if made.batch.recipe else ""
            packing.left_out_recipes[path] = (made.grade, recipe, made.source)
            packing.left_out_whats[made.batch.what] += facts.st_size
            continue
        packing.entries.append(Packed(path, look.listed(path, facts), facts))
    for path, facts in outside:
        packing.entries.append(Packed(path, look.outside(path, facts), facts))
    with suppress(OSError), opened(project.path, FOLDER) as folder:
        packing.attributes = attributes_of(folder) or ()
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


class _Looking:
    """Finds out what the listing is to say of each name, and what it cannot keep."""

    def __init__(self, packing: Packing, payloads: "_Payloads") -> None:
        self._packing = packing
        self._payloads = payloads
        self._first_of: dict[tuple[int, int], bytes] = {}

    def listed(self, path: bytes, facts: os.stat_result) -> Listed:
        """Return the entry of a name in the project."""
        below = os.path.relpath(path, self._packing.project)
        plain = Listed(Form.FOLDER, below, stat.S_IMODE(facts.st_mode), facts.st_mtime_ns, owner=self._owner(facts))
        if stat.S_ISDIR(facts.st_mode):
            return self._looked_into(path, FOLDER, plain)
        if stat.S_ISLNK(facts.st_mode):
            return plain._replace(form=Form.LINK, target=os.readlink(path))
        identity = (facts.st_dev, facts.st_ino)
        if facts.st_nlink > 1 and identity in self._first_of:
            return plain._replace(form=Form.SAME, target=self._first_of[identity])
        self._first_of[identity] = below
        return self._file(path, facts, plain._replace(payload=self._payloads.inside(below)))

    def outside(self, path: bytes, facts: os.stat_result) -> Listed:
        """Return the entry of a file from outside the project."""
        plain = Listed(
            Form.FILE, path.lstrip(b"/"), stat.S_IMODE(facts.st_mode), facts.st_mtime_ns, self._payloads.outside(path),
            is_outside=True, owner=self._owner(facts),
        )  # fmt: skip
        return self._file(path, facts, plain)

    def _file(self, path: bytes, facts: os.stat_result, plain: Listed) -> Listed:
        found = plain._replace(form=Form.FILE, size=facts.st_size, is_sparse=has_holes(facts))
        return self._looked_into(path, FILE, found)

    def _owner(self, facts: os.stat_result) -> Owner | None:
        """Return the owner, if that is not the one of the project's folder."""
        top = self._packing.facts
        return None if (facts.st_uid, facts.st_gid) == (top.st_uid, top.st_gid) else owner_of(facts)

    def _looked_into(self, path: bytes, flags: int, listed: Listed) -> Listed:
        """Return an entry with attributes and holes; what cannot be opened is said when it is to be read."""
        with suppress(OSError), opened(path, flags) as descriptor:
            attributes = attributes_of(descriptor)
            if attributes is None:
                self._packing.problems.append(Problem(path, "its extended attributes cannot be read, or are too large"))
            data = data_ranges(descriptor, listed.size) if listed.is_sparse else None
            is_sparse = listed.is_sparse and data != ((0, listed.size),)  # else its volume compresses it
            return listed._replace(attributes=attributes or (), data=data if is_sparse else None, is_sparse=is_sparse)
        return listed


def owner_of(facts: os.stat_result) -> Owner:
    """Return who owns a file, in numbers and in names."""
    return Owner(facts.st_uid, facts.st_gid, *owner_names(facts.st_uid, facts.st_gid))


class _Payloads:
    """Finds each file a place in the package whose name every system and every reader takes for one of its own.

    Parameters
    ----------
    project
        What the project is called in the package.
    for_disc
        Whether the names have to be such as Joliet takes, in folders no deeper than ISO 9660 has them.
    plain
        Whether they have to be such as FAT and exFAT take.
    """

    def __init__(self, project: str, *, for_disc: bool, plain: bool) -> None:
        self._top = project
        self._for_disc = for_disc
        self._plain = plain or for_disc
        if self._plain:
            self._top = plain_for_all(project)
        if for_disc:
            self._top = _name_for_disc(self._top, os.fsencode(project))
        self._deep: dict[str, int] = {}
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
        steps = path.split(b"/")
        for step in steps[:-1]:
            where = f"{where}/{self._named(where, step)}"
        if self._for_disc and (len(steps) > _DEEPEST_ON_DISC or len(where) > _LONGEST_ON_DISC):
            deep = _DEEP if bagit.same_name(self._top) != _DEEP else f"{_DEEP} (2)"
            where = f"{bagit.PAYLOAD}/{deep}/{self._deep.setdefault(where, len(self._deep) + 1)}"
        return f"{where}/{self._named(where, steps[-1])}"

    def _named(self, where: str, step: bytes) -> str:
        key = (where, step)
        if key not in self._names:
            taken = self._taken.setdefault(where, set())
            plain = short_enough(plain_for_all(bagit.plain_name(step)) if self._plain else bagit.plain_name(step), step)
            if self._for_disc:
                plain = _name_for_disc(plain, step)
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
    return short_enough(name, folder, _LONGEST_PACKAGE)


def plain_for_all(name: str) -> str:
    """Return a name that FAT and exFAT take as well: without what Windows has a use for."""
    plain = "".join(_ESCAPED.get(char, char) for char in name)
    if plain[-1:] in (".", " "):
        plain = f"{plain[:-1]}={ord(plain[-1]):02X}"
    if _DEVICE.fullmatch(plain.partition(".")[0]):
        plain = f"={ord(plain[0]):02X}{plain[1:]}"
    return plain


def _name_for_disc(name: str, step: bytes) -> str:
    """Return a name that Joliet takes: short, and without what separates names or stands for others."""
    plain = "".join(char if char <= "\uffff" else "".join(f"={byte:02X}" for byte in char.encode()) for char in name)
    return short_enough(plain, step, _LONGEST_NAME_ON_DISC)


def short_enough(name: str, step: bytes, most: int = _LONGEST_NAME) -> str:
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
