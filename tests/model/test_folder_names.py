"""Two hundred names of folders, and what may be said of each: a reason is true, or it is absent."""

import pytest

from foldkeep.model.folder_names import dump_among, says_what

DUMPS = {
    "in a card dump": "DCIM|100KITES|101HILLS|102_0612|cards|card|Card 2|card copies|SD card|sd-card|memory card"
    "|Camera Roll|speicherkarte|100_2024",
    "in a backup": "Backup|backups|Backup 2019|laptop backup|Sicherung|Datensicherung|sicherungskopie 2|sauvegarde"
    "|Sauvegardes|respaldo|Reservekopie|copie de sauvegarde|copia de seguridad|Time Capsule|my backup of 2015"
    "|DCIM backup"
    "|backup of the studio|Sicherung Laptop|backup march 2019|sauvegarde du portable"
    "|salvataggio|backup-old|PC Backup (2)",
    "among downloads": "Downloads|download|Téléchargements|descargas|Hämtningar|scaricati|Downloads 2|old downloads",
    "on the desktop": "Desktop|desktop 2|Schreibtisch|Bureau|escritorio|Scrivania|skrivbord|from the desktop"
    "|Desktop stuff",
    "in a temporary folder": "temp|TMP|temporary|Untitled|Untitled import|untitled folder|New Folder|Neuer Ordner"
    "|nouveau dossier|nueva carpeta|sans titre|temporär|New-Folder|new_folder",
    "in an import": "Imported|imported again|import|Imports|importiert|importé|uploads|received|Import 3|importado",
    "among what a device uploaded by itself": "Camera Uploads|Phone uploads|phone-uploads|Mobile Upload|Handy Uploads"
    "|auto upload|camera upload 2",
    "in an export": "Exports|exported|export|exportiert|exporté|export 2|web exports",
    "among spares": "spares|duplicates|spares 2",
    "among what is not sorted": "unsorted|Unsorted photos|unsortiert",
    "on an old disk": "old|Old Disk|old laptop|old-laptop|alt|vieux|misc|Miscellaneous|Diverses|varios|old phone"
    "|old pc 2|old photos|misc 3",
    "on a player": "player|MP3 player|music player",
}
SORTED = (
    "2024-05 wedding|2024-06 north coast|Kite days 2025|Portfolio|Best of|Grandma turns 80|north coast|regatta|stills"
    "|camera-a|day-1|2024|2024-06|06|13|january|Masters|Pictures|Photos|Photos 2019|Bilder|Family|Anna|Anna and Ben"
    "|clients|harbour office|prints|for the poster|raw|jpeg|edited|final|Selects|black and white|portraits"
    "|night flights|temporary exhibition 2024|desktop wallpapers|backup singers|imported beer|download festival"
    "|exported kites|temp agency|bureau de change maps"
    "|Windmere Brass|Marches|CD 1|Disc 2|booklet|drone|video|interviews|sound|music|edit|media|project 12|B-roll"
    "|postcards|cardboard|discards|wildcard|Oldenburg|oldtimers|golden hour|Altstadt|temple|temperature|template"
    "|tempo|attempt|contemporary|important|importance|transport|exporters|downtown|upload guide|backyard|background"
    "|backpacking|desk|miscanthus|mischief|recovery|scans|slides|negatives|glass plates|school|garden|holidays"
    "|Weihnachten|Sommer|été|verano|studio|stage|workshop|album|covers|1985|1985 summer|20|001|A|x"
)
"""Sorted, or not known to be anything else."""

IN_CONTEXT = {
    ("games", "cards"): "", ("background", "misc"): "", ("2024 north coast", "old"): "", ("paintings", "alt"): "",
    ("Kite days 2025", "received"): "", ("songs", "player"): "",
    ("Photos", "old"): "on an old disk", ("2024", "misc"): "on an old disk", ("Pictures", "cards"): "in a card dump",
    ("games", "cards", "100KITES"): "in a card dump", ("Kite days 2025", "export"): "in an export",
    ("Anna", "backup"): "in a backup", ("stage", "Desktop"): "on the desktop", ("2024 fair", "new folder"):
    "in a temporary folder", ("old laptop", "Kite days 2025"): "on an old disk",
}  # fmt: skip


@pytest.mark.parametrize("what", DUMPS)
def test_names_of_dumps_say_what_kind_they_are(what: str):
    for name in DUMPS[what].split("|"):
        assert dump_among([name.encode()]) == what, name


def test_other_names_say_nothing_that_is_not_so():
    names = SORTED.split("|")
    assert {name: said for name in names if (said := dump_among([name.encode()]))} == {}
    assert len(names) + sum(len(each.split("|")) for each in DUMPS.values()) + len(IN_CONTEXT) >= 200


def test_words_are_read_in_their_context():
    for steps, what in IN_CONTEXT.items():
        assert dump_among([step.encode() for step in steps]) == what, steps


@pytest.mark.parametrize(
    ("name", "much"),
    [("2024 kites", 2), ("kites", 1), ("2024", 0), ("06", 0), ("ab", 0), ("1985 été", 2), ("20240612", 0)],
)
def test_a_year_and_a_word_say_more_than_a_word(name: str, much: int):
    assert says_what(name.encode()) == much
