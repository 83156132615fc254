"""Extras: libraries that not everybody needs, and what to say where one is missing."""

from .errors import UnusableInput

EXTRAS = {
    "media": ("PIL", "av", "mutagen", "numpy"),
    "charts": ("matplotlib", "jinja2", "PIL"),
    "timelines": ("opentimelineio",),
    "discs": ("pycdlib",),
    "remote": ("httpx", "asyncssh", "keyring"),
    "cloud": ("wsgidav", "cheroot"),
    "desktop": ("dbus_fast",),
    "fleet": ("cryptography", "distributed", "duckdb", "pyarrow"),
}
"""The modules that each extra brings, under the names by which ``pip install 'fold-keep[NAME]'`` knows them."""

_PURPOSES = {
    "media": "reading photos, sounds and films",
    "charts": "drawing maps, bars and pages",
    "timelines": "reading bundles of timelines",
    "discs": "making images of discs",
    "remote": "looking into places on servers",
    "cloud": "running a cloud of its own",
    "desktop": "telling the desktop",
    "fleet": "working with several machines",
}


class MissingExtra(UnusableInput):
    """A library is not installed that only some commands need."""

    def __init__(self, extra: str) -> None:
        super().__init__(f"{_PURPOSES[extra]} needs more than is installed", f"pip install 'fold-keep[{extra}]'")


def has_extra(extra: str) -> bool:
    """Tell whether the modules of an extra can be imported."""
    from importlib.util import find_spec

    return all(find_spec(module) is not None for module in EXTRAS[extra])


def need(extra: str) -> None:
    """Raise MissingExtra if a module of an extra cannot be imported."""
    if not has_extra(extra):
        raise MissingExtra(extra)


def extra_of(error: ModuleNotFoundError) -> MissingExtra | None:
    """Return what to raise in the place of an import that failed; None if it is of no extra."""
    module = (error.name or "").partition(".")[0]
    return next((MissingExtra(extra) for extra, modules in EXTRAS.items() if module in modules), None)
