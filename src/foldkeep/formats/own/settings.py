"""The settings file: TOML 1.0, checked key by key so that a slip of the pen is one clear line."""

import json
import os
import re
from collections.abc import Callable, Sequence
from contextlib import suppress
from typing import Any, NamedTuple

from foldkeep.model import Settings, UnusableInput, visible
from foldkeep.model.kinds import KINDS
from foldkeep.model.settings import WAYS_TO_TELL
from foldkeep.model.spelling import advice_for
from foldkeep.model.work import reason_of

from ..reading import read_whole
from .values import age, color, flag, number, one_of, period, size, suffixes, text, time_of_day, words
from .writing import new_file, rewritten

_LARGEST = 16 * 1024 * 1024


class SettingsFile(NamedTuple):
    """Settings and where each comes from.

    Attributes
    ----------
    path
        The settings file; it need not be there.
    given
        The keys that the file gives, written ``section.key``.
    """

    settings: Settings
    path: str
    given: frozenset[str]


SCAN_KEYS: dict[str, Callable[[Any], Any]] = {
    "hidden": flag,
    "system": flag,
    "bundles": flag,
    "cross_volumes": flag,
    "ignore_folders": words,
    "ignore_names": words,
    "ignore_suffixes": suffixes,
    "smallest": size,
    "largest": size,
    "bundle_suffixes": suffixes,
}
"""The keys of section ``[scan]``, each with what checks its value and turns it into ours."""

KEEP_KEYS: dict[str, Callable[[Any], Any]] = {
    "same": one_of(("content", "essence", "content,essence")),
    "prefer": words,
    "learned": words,
    "protect": words,
    "give_up_under": words,
    "at_least": number,
    "per": one_of(("", "volume", "place", "role")),
    "takes_programs": flag,
}
"""The keys of section ``[keep]``."""

FOLD_KEYS: dict[str, Callable[[Any], Any]] = {"litter": words, "release_after": age, "sides_wait": age}
"""The keys of section ``[fold]``."""

CACHES_KEYS: dict[str, Callable[[Any], Any]] = {"recipes": text}
"""The keys of section ``[caches]``."""

PROJECTS_KEYS: dict[str, Callable[[Any], Any]] = {"markers": words, "inside": words, "quiet_after": age}
"""The keys of section ``[projects]``."""

REMIND_KEYS: dict[str, Callable[[Any], Any]] = {"every": period, "at": time_of_day, "by": one_of(WAYS_TO_TELL)}
"""The keys of section ``[remind]``."""

_KEYS = {
    "scan": SCAN_KEYS, "keep": KEEP_KEYS, "fold": FOLD_KEYS, "caches": CACHES_KEYS, "projects": PROJECTS_KEYS,
    "remind": REMIND_KEYS,
}  # fmt: skip
_KEEP_SECTION = re.compile(r"\s*\[\s*keep\s*\]\s*(?:#.*)?")
_LEARNED = re.compile(r"\s*learned\s*=")
_ASKED = {"hidden": "hidden", "system": "system", "bundles": "bundles", "cross_volumes": "volumes"}
_SECTIONS = (*_KEYS, "kinds", "colors")


def read_settings(path: str, *, needed: bool = False) -> SettingsFile:
    """Read a settings file.

    Parameters
    ----------
    needed
        The user named it, so it must be there; otherwise a missing file means that nothing is set.

    Raises
    ------
    UnusableInput
        If it cannot be read, is no TOML, or has a key or value that is not understood.
    """
    try:
        document = _parsed(read_whole(path, _LARGEST))
    except FileNotFoundError as error:
        if needed:
            raise UnusableInput(f"there is no settings file {visible(path)}", "name one that is there") from error
        document = {}
    except OSError as error:
        raise UnusableInput(f"cannot read {visible(path)}: {reason_of(error)}", "mend that") from error
    except (ValueError, RecursionError) as error:
        raise UnusableInput(f"{visible(path)} is not TOML: {visible(str(error))}", "mend that line") from error
    try:
        return _checked(document, path)
    except ValueError as error:
        raise UnusableInput(f"{visible(path)}: {visible(str(error.args[0]))}", error.args[1]) from error


def _parsed(text: bytes) -> dict[str, Any]:
    import tomllib  # not before there is something to parse: most people have set nothing

    return tomllib.loads(text.decode("utf-8-sig"))


def _checked(document: dict[str, Any], path: str) -> SettingsFile:
    for section, content in document.items():
        if section not in _SECTIONS:
            raise _unknown(f"there is no section [{section}]", section, _SECTIONS)
        if not isinstance(content, dict):
            raise ValueError(f"{section} is not a section", f"write [{section}] on a line of its own")
    values = {key: _value(section, key, value) for section in _KEYS for key, value in document.get(section, {}).items()}
    kinds: dict[str, str] = {}
    for kind, given in document.get("kinds", {}).items():
        for suffix in _checked_value(suffixes, f"kinds.{kind}", given):
            if kinds.setdefault(suffix, kind) != kind:
                raise ValueError(f"kinds: {suffix} is both {kinds[suffix]} and {kind}", "give it one kind")
    colors = {
        kind: _checked_value(color, f"colors.{kind}", given) for kind, given in document.get("colors", {}).items()
    }
    for kind in colors:
        if kind not in (known := (*KINDS, *kinds.values())):
            raise _unknown(f"colors: there is no kind {kind}", kind, known)
    asked = frozenset(word for key, word in _ASKED.items() if values.pop(key, False))
    given = frozenset(f"{section}.{key}" for section in _SECTIONS for key in document.get(section, {}))
    return SettingsFile(Settings(asked=asked, kinds=kinds, colors=colors, **values), path, given)


def _value(section: str, key: str, value: Any) -> Any:
    if key not in _KEYS[section]:
        raise _unknown(f"there is no key {section}.{key}", key, _KEYS[section])
    return _checked_value(_KEYS[section][key], f"{section}.{key}", value)


def _checked_value(check: Callable[[Any], Any], name: str, value: Any) -> Any:
    try:
        return check(value)
    except ValueError as error:
        what, _, advice = str(error).rpartition("; ")
        raise ValueError(f"{name} = {value!r} is not understood" + (f": {what}" if what else ""), advice) from error


def _unknown(what: str, word: str, known: Any) -> ValueError:
    return ValueError(what, advice_for(word, known, f"there are {', '.join(known)}"))


def write_settings(path: str, learned: Sequence[str] | None = None) -> None:
    """Write a settings file that says what can be set, if there is none; or put learned rules into the one there is.

    Raises
    ------
    UnusableInput
        If there is a file already, it cannot be written, or the rules cannot be put into it by changing one line.
    """
    shown = visible(path)
    try:
        if learned is None:
            if os.path.lexists(path):
                raise UnusableInput(f"there is a settings file already: {shown}", "change that, or name another")
            os.makedirs(os.path.dirname(os.path.abspath(path)), exist_ok=True)
            with new_file(path) as (_, stream):
                stream.write(_text().encode())
            return
        os.makedirs(os.path.dirname(os.path.abspath(path)), exist_ok=True)
        path = os.path.realpath(path)  # it may be kept elsewhere, and linked to
        former = read_whole(path, _LARGEST).decode("utf-8-sig") if os.path.exists(path) else ""
        new = _with_learned(former, learned).encode()
        with rewritten(path) as stream:
            stream.write(new)
    except OSError as error:
        raise UnusableInput(f"cannot write {shown}: {reason_of(error)}", "name another with --config") from error
    except ValueError as error:
        said = ", ".join(f'"{visible(word)}"' for word in learned or ())
        raise UnusableInput(
            f"cannot change {shown}: {visible(str(error))}", f"write it yourself: keep.learned = [{said}]"
        ) from error


def _with_learned(text: str, words: Sequence[str]) -> str:
    """Return the text of a settings file with other learned rules, and everything else as it was.

    Raises ValueError if it has them in a form that cannot be changed by a line, or a word cannot be written.
    """
    import tomllib

    line = f"learned = [{', '.join(json.dumps(word, ensure_ascii=False) for word in words)}]"
    lines = text.splitlines()
    header = next((at for at, each in enumerate(lines) if _KEEP_SECTION.fullmatch(each)), None)
    if header is None:
        lines += [*([""] if lines else []), "[keep]", line]
    else:
        following = (at for at in range(header + 1, len(lines)) if lines[at].lstrip().startswith("["))
        end = next(following, len(lines))
        given = next((at for at in range(header + 1, end) if _LEARNED.match(lines[at])), None)
        lines[given if given is not None else header + 1 : header + 1 if given is None else given + 1] = [line]
    new = "\n".join(lines) + "\n"
    wanted = tomllib.loads(text)
    wanted.setdefault("keep", {})["learned"] = list(words)
    with suppress(tomllib.TOMLDecodeError):
        if tomllib.loads(new) == wanted:
            return new
    raise ValueError("its learned rules stand over several lines, or its section has another form")


def settings_table(file: SettingsFile) -> list[tuple[str, str, bool]]:
    """Return every setting in force: its key, its value as TOML would write it, and whether the file gives it."""
    settings = file.settings
    values: dict[str, Any] = {f"scan.{key}": word in settings.asked for key, word in _ASKED.items()}
    for section, keys in _KEYS.items():
        for key in keys:
            if key not in _ASKED:
                values[f"{section}.{key}"] = getattr(settings, key)
    own: dict[str, list[str]] = {}
    for suffix, kind in settings.kinds.items():
        own.setdefault(kind, []).append(suffix)
    values |= {f"colors.{kind}": chosen for kind, chosen in settings.colors.items()}
    values |= {f"kinds.{kind}": tuple(suffixes) for kind, suffixes in own.items()}
    return [(key, _shown(value), key in file.given) for key, value in values.items()]


_MEANINGS = {
    "scan.hidden": "Look at hidden files and folders, in every place.",
    "scan.system": "Look at files and folders of the system, bins among them.",
    "scan.bundles": "Look into bundles, folders that a program treats as one document.",
    "scan.cross_volumes": "Look into other volumes mounted below a place.",
    "scan.ignore_folders": "Names of folders, or absolute paths, that scans pass by.",
    "scan.ignore_names": "Names of files that scans pass by; letter case does not matter.",
    "scan.ignore_suffixes": "Suffixes of files that scans pass by.",
    "scan.smallest": "Pass smaller files by.",
    "scan.largest": "Pass larger files by.",
    "scan.bundle_suffixes": "Suffixes of bundles.",
    "keep.same": "What copies agree in: content, essence, or content,essence.",
    "keep.prefer": "Your rules, asked one after another; `foldkeep keep --explain` lists those built in.",
    "keep.learned": "Rules that `foldkeep keep --learn` found and you took; asked before the others.",
    "keep.protect": "What must not go: folders, files, globs, role:ROLE, place:LABEL.",
    "keep.give_up_under": "Folders whose copies go first, if there is one elsewhere.",
    "keep.at_least": "How many copies stay.",
    "keep.per": "Keep one copy on each volume, place or role.",
    "keep.takes_programs": "Propose copies in folders that a program needs as they are, too.",
    "fold.litter": "Names that do not count when a folder is to be empty.",
    "fold.release_after": "After how long in the fold `checkup` and `room` propose to release; nothing goes by itself.",
    "fold.sides_wait": "How long a fold waits for its release where its copy is on a server's other side; 1d at least.",
    "caches.recipes": "A file of your own recipes for what can be made again.",
    "projects.markers": "Names of files that mark their folder as a project.",
    "projects.inside": "Folders each of whose folders is a project.",
    "projects.quiet_after": "After how long without changes a project is called quiet.",
    "remind.every": "How often a reminder comes, if `foldkeep remind` does not say otherwise.",
    "remind.at": "When in the day.",
    "remind.by": "By what means: desktop, mail or file.",
}
"""What each key means, for people."""

_SAMPLES = {
    "scan.ignore_folders": '["node_modules", "/media/scratch"]',
    "scan.ignore_names": '["*.tmp"]',
    "scan.ignore_suffixes": '["part"]',
    "scan.largest": '"100GB"',
    "keep.prefer": '["under:~/Masters", "together", "oldest", "first-by-name"]',
    "keep.learned": '["under:~/Best of"]',
    "keep.protect": '["~/Portfolio", "*.psd"]',
    "keep.give_up_under": '["~/Downloads"]',
    "keep.per": '"volume"',
    "fold.litter": '["Thumbs.db", ".DS_Store"]',
    "caches.recipes": '"~/recipes.toml"',
    "projects.markers": '["*.prj"]',
    "projects.inside": '["~/Videos"]',
}
"""What may stand where nothing is built in."""

_TAIL = """\
[kinds]
# Kinds of your own, or other ones for suffixes that are built in.
# score = ["mxl", "musicxml"]

[colors]
# Colours of kinds in maps and charts.
# photo = "#4477aa"
"""


def _text() -> str:
    """Return a settings file with every key, what it means and what is built in, each behind a ``#``."""
    usual = Settings()
    lines = [
        "# Settings of Fold Keep. Take the # before a line away to set it; what is not set is as built in.",
        "# `foldkeep settings` shows what is in force.",
    ]
    for section, keys in _KEYS.items():
        lines += ["", f"[{section}]"]
        for key in keys:
            name = f"{section}.{key}"
            built_in = False if section == "scan" and key in _ASKED else getattr(usual, key)
            lines += [f"# {_MEANINGS[name]}", f"# {key} = {_SAMPLES.get(name) or _written(built_in)}"]
    return "\n".join(lines) + "\n\n" + _TAIL


def _written(value: Any) -> str:
    """Return a built-in value as TOML has it."""
    if isinstance(value, str):
        return f'"{value}"'
    return str(value) if isinstance(value, int) and not isinstance(value, bool) else _shown(value)


def _shown(value: Any) -> str:
    if value is None or value == "":
        return "none"
    if isinstance(value, bool):
        return str(value).lower()
    if isinstance(value, tuple):
        return "[" + ", ".join(f'"{visible(word)}"' for word in value) + "]"
    return str(value)
