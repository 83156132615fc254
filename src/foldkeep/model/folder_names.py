"""Names of folders: where files arrive or are put aside, and what says that somebody sorted them.

Words are those that systems, cameras and people use in several languages; DCIM and its numbered folders are after the
Design rule for Camera File system (JEITA CP-3461).
"""

import re
from collections.abc import Sequence
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
"""Words that tell wherever they stand in the name of a folder, unless they are about what that ends with."""

_ALONE = {
    "in a card dump": "card cards 'memory card' 'sd card' 'card copies' 'camera roll' speicherkarte",
    "in an import": "import imports uploads received",
    "in an export": "export",
    "among what a device uploaded by itself": "'camera uploads' 'camera upload' 'phone uploads' 'phone upload'"
    " 'mobile uploads' 'mobile upload' 'auto upload' 'auto uploads' 'handy uploads' 'handy upload' 'kamera uploads'"
    " 'téléversements du téléphone' 'subidas del móvil'",
    "on a player": "player 'mp3 player' 'music player' 'audio player'",
    "in a temporary folder": "'new folder' 'neuer ordner' 'nouveau dossier' 'nueva carpeta' 'nuova cartella'"
    " 'unbenannter ordner' 'sans titre'",
    "on an old disk": "old 'old disk' 'old drive' 'old computer' 'old laptop' 'old pc' 'old phone' 'old files'"
    " 'old stuff' 'old photos' 'old pictures' alt vieux viejo misc miscellaneous diverses divers varios",
    "in a backup": "'copia de seguridad' 'copie de sauvegarde' 'time capsule'",
}
"""Whole names, also with a number behind them."""

_IN_CONTEXT = frozenset(("in a card dump", "in an import", "on an old disk", "on a player"))
"""What a whole name tells only near the top: below a name that says what it is about, it is a part of that."""

_CONTAINERS = frozenset(
    "pictures picture photos photo images image media medias videos video films music audio sound sounds documents data"
    " files home users volumes bilder fotos foto musik filme daten dateien dokumente images musique fichiers données"
    " imágenes música archivos datos immagini musica dati bilder masters library archive archiv archives".split()
)
"""Names that hold anything, and so say nothing of what is in them."""

_ABOUT_NOTHING = _CONTAINERS | frozenset(
    "stuff again old new more all everything copy copies folder folders contents sachen zeug kram alles ordner neu alt"
    " phone handy telefon téléphone camera kamera card laptop notebook computer pc tablet disk disc drive hdd ssd stick"
    " usb server nas player january february march april may june july august september october november december"
    " januar februar märz mai juni juli oktober dezember janvier février mars avril juin juillet août septembre octobre"
    " novembre décembre".split()
)
_BEFORE_WHAT_IT_IS_OF = frozenset("of from for on in von vom aus für de du des da del do di van".split())

_PHRASE = re.compile(r"'([^']+)'|(\S+)")
_BETWEEN_WORDS = re.compile(r"[\s_-]+")
_NUMBER_BEHIND = re.compile(r"[\s_-]*(?:\d{1,3}|\(\d{1,3}\))\Z")


def _by_word(said: dict[str, str]) -> dict[str, str]:
    return {one or other: what for what, words in said.items() for one, other in _PHRASE.findall(words)}


_WORDS, _NAMES = _by_word(_ANYWHERE), _by_word(_ALONE)


def dump_among(steps: Sequence[bytes]) -> str:
    """Return in what kind of dump files lie by the names of their folders, the outer ones first; empty if in none.

    >>> dump_among([b"cards", b"camera A"]), dump_among([b"games", b"cards"])
    ('in a card dump', '')
    >>> dump_among([b"2025", b"cards"]), dump_among([b"games", b"cards", b"100KITES"])
    ('in a card dump', 'in a card dump')
    """
    is_below_a_subject = False
    for step in steps:
        if (found := dump_of(step)) and not (is_below_a_subject and _by_name_alone(step) in _IN_CONTEXT):
            return found
        is_below_a_subject |= says_what(step) > 0 and not found and _folded(step) not in _CONTAINERS
    return ""


@lru_cache(maxsize=65536)
def dump_of(step: bytes) -> str:
    """Return in what kind of dump the files of a folder lie by its name, in words; empty if in none."""
    name = _folded(step)
    if _CAMERA_FOLDER.fullmatch(name):
        return "in a card dump"
    return _by_name_alone(step) or _by_a_word(_WORD.findall(name))


def _by_a_word(words: Sequence[str]) -> str:
    """Return what a word in a name tells; nothing where it describes the last one, as in a temporary exhibition."""
    for at, word in enumerate(words):
        rest = words[at + 1 :]
        found = _WORDS.get(word, "")
        ends_so = not rest or rest[-1] in _ABOUT_NOTHING or rest[-1] in _NAMES
        is_of = found == "in a backup" and rest and rest[0] in _BEFORE_WHAT_IT_IS_OF
        if found and (ends_so or is_of):
            return found
    return ""


def _by_name_alone(step: bytes) -> str:
    """Return what a whole name tells."""
    return _NAMES.get(_BETWEEN_WORDS.sub(" ", _NUMBER_BEHIND.sub("", _folded(step))), "")


def _folded(step: bytes) -> str:
    return step.decode("utf-8", "replace").casefold().strip()


@lru_cache(maxsize=65536)
def says_what(step: bytes) -> int:
    """Return how much a folder's name says: 2 a year and a word, 1 a word, 0 neither."""
    name = step.decode("utf-8", "replace")
    has_word = any(len(word) >= _SHORTEST_WORD for word in _WORD.findall(name))
    return has_word + (has_word and _YEAR.search(name) is not None)
