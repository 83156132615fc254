"""Names of folders: where files arrive or are put aside, and what says that somebody sorted them.

Words are those that systems, cameras and people use in several languages; DCIM and its numbered folders are after the
Design rule for Camera File system (JEITA CP-3461).
"""

import re
from functools import lru_cache

_CAMERA_FOLDER = re.compile(r"\d{3}[a-z0-9_]{5}", re.IGNORECASE)
_WORD = re.compile(r"[^\W\d_]+")
_YEAR = re.compile(r"(?<!\d)(?:19|20)\d\d(?!\d)")
_SHORTEST_WORD = 3

_ANYWHERE = {
    "in a card dump": "dcim",
    "in a backup": "backup backups sicherung sicherungskopie datensicherung sauvegarde sauvegardes respaldo respaldos"
    " reservekopie säkerhetskopia salvataggio",
    "among downloads": "download downloads téléchargements descargas scaricati hämtningar",
    "on the desktop": "desktop schreibtisch bureau escritorio scrivania skrivbord",
    "in a temporary folder": "temp tmp temporary temporär temporaire temporal untitled",
    "in an import": "imported importiert importé importado importati",
    "in an export": "exported exports exportiert exporté exportado",
    "among spares": "spares duplicates",
    "among what is not sorted": "unsorted unsortiert",
}
"""Words that tell wherever they stand in the name of a folder."""

_ALONE = {
    "in a card dump": "card cards 'memory card' 'sd card' 'card copies' 'camera roll' speicherkarte",
    "in an import": "import imports 'camera uploads' uploads received",
    "in an export": "export",
    "in a temporary folder": "'new folder' 'neuer ordner' 'nouveau dossier' 'nueva carpeta' 'nuova cartella'"
    " 'unbenannter ordner' 'sans titre'",
    "on an old disk": "old 'old disk' 'old drive' 'old computer' 'old laptop' 'old pc' 'old phone' 'old files'"
    " 'old stuff' 'old photos' 'old pictures' alt vieux viejo misc miscellaneous diverses divers varios",
    "in a backup": "'copia de seguridad' 'copie de sauvegarde' 'time capsule'",
}
"""Whole names, also with a number behind them."""

_PHRASE = re.compile(r"'([^']+)'|(\S+)")
_NUMBER_BEHIND = re.compile(r"[\s_-]*(?:\d{1,3}|\(\d{1,3}\))\Z")


def _by_word(said: dict[str, str]) -> dict[str, str]:
    return {one or other: what for what, words in said.items() for one, other in _PHRASE.findall(words)}


_WORDS, _NAMES = _by_word(_ANYWHERE), _by_word(_ALONE)


@lru_cache(maxsize=65536)
def dump_of(step: bytes) -> str:
    """Return in what kind of dump the files of a folder lie by its name, in words; empty if in none."""
    name = step.decode("utf-8", "replace").casefold().strip()
    if _CAMERA_FOLDER.fullmatch(name):
        return "in a card dump"
    if found := _NAMES.get(_NUMBER_BEHIND.sub("", name)):
        return found
    return next((_WORDS[word] for word in _WORD.findall(name) if word in _WORDS), "")


@lru_cache(maxsize=65536)
def says_what(step: bytes) -> int:
    """Return how much a folder's name says: 2 a year and a word, 1 a word, 0 neither."""
    name = step.decode("utf-8", "replace")
    has_word = any(len(word) >= _SHORTEST_WORD for word in _WORD.findall(name))
    return has_word + (has_word and _YEAR.search(name) is not None)
