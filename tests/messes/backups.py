"""Backups, old computers, desktops, downloads, and folders that are called like copies."""

from .mess import Mess

BACKUPS = (
    Mess(
        "a backup of an old laptop",
        """
        old/backup of laptop/Pictures/Trips/2021 lake/L_{1-5}.jpg = l{1-5} @2021-08-01
        Pictures/Trips/2021 lake/L_{1-5}.jpg = l{1-5} @2022-01-01
        """,
        "old/backup of laptop/Pictures/Trips/2021 lake/L_{1-5}.jpg",
        "the library stays, the backup of a machine that is gone does not",
    ),
    Mess(
        "a trip and its copy",
        """
        2021 trip/T_{1-4}.jpg = t{1-4} @2021-09-01
        2021 trip copy/T_{1-4}.jpg = t{1-4} @2021-08-01
        """,
        "2021 trip copy/T_{1-4}.jpg",
        "the folder is called a copy",
    ),
    Mess(
        "a backup that is larger than what is left",
        """
        Backup 2020/photos/garden/G_{1-6}.jpg = g{1-6}
        photos/garden/G_{1-4}.jpg = g{1-4}
        """,
        "Backup 2020/photos/garden/G_{1-4}.jpg",
        "what is still in the library stays there; what only the backup has stays in it",
    ),
    Mess(
        "three times the same folder",
        """
        Photos/kites/K_{1-3}.jpg = k{1-3}
        Photos - Copy/kites/K_{1-3}.jpg = k{1-3}
        Photos (2)/kites/K_{1-3}.jpg = k{1-3}
        """,
        """
        Photos - Copy/kites/K_{1-3}.jpg
        Photos (2)/kites/K_{1-3}.jpg
        """,
        "two of the three are called copies",
    ),
    Mess(
        "strays on the desktop",
        """
        stills/day-1/WKD_{1-6}.jpg = s{1-6} @2025-06-13
        Desktop/WKD_3.jpg = s3 @2025-06-01
        Desktop/WKD_5 (1).jpg = s5 @2025-06-01
        """,
        """
        Desktop/WKD_3.jpg
        Desktop/WKD_5 (1).jpg
        """,
        "the shoot stays whole, the desktop is tidied",
    ),
    Mess(
        "a download of what is in the album",
        """
        Downloads/kite.jpg = k @2024-01-01
        Pictures/2024 festival/kite.jpg = k @2024-06-01
        Pictures/2024 festival/tent.jpg = t
        """,
        "Downloads/kite.jpg",
        "downloads are on their way to somewhere",
    ),
    Mess(
        "temporary folders",
        """
        temp/a{1-3}.jpg = a{1-3} @2020-01-01
        untitled folder/a{1-3}.jpg = a{1-3} @2020-01-01
        Photos of the garden in May/a{1-3}.jpg = a{1-3}
        """,
        """
        temp/a{1-3}.jpg
        untitled folder/a{1-3}.jpg
        """,
        "only one of the three has a name that says anything",
    ),
    Mess(
        "a German library",
        """
        Bilder/Urlaub 2019/U_{1-4}.jpg = u{1-4}
        Sicherung/Bilder/Urlaub 2019/U_{1-4}.jpg = u{1-4} @2019-01-01
        Kopie von Urlaub/U_{1-4}.jpg = u{1-4} @2019-01-01
        """,
        """
        Sicherung/Bilder/Urlaub 2019/U_{1-4}.jpg
        Kopie von Urlaub/U_{1-4}.jpg
        """,
        "Sicherung is a backup, Kopie a copy",
    ),
    Mess(
        "a French library",
        """
        Photos/Fête du village/F_{1-4}.jpg = f{1-4}
        Téléchargements/F_{1-4}.jpg = f{1-4} @2019-01-01
        Sauvegarde/F_{1-4}.jpg = f{1-4} @2019-01-01
        """,
        """
        Téléchargements/F_{1-4}.jpg
        Sauvegarde/F_{1-4}.jpg
        """,
        "Téléchargements are downloads, Sauvegarde is a backup",
    ),
    Mess(
        "a Spanish library",
        """
        Fotos/Playa 2018/P_{1-4}.jpg = p{1-4}
        Descargas/P_{1-4}.jpg = p{1-4} @2018-01-01
        copia de seguridad/P_{1-4}.jpg = p{1-4} @2018-01-01
        """,
        """
        Descargas/P_{1-4}.jpg
        copia de seguridad/P_{1-4}.jpg
        """,
        "Descargas are downloads, a copia de seguridad is a backup",
    ),
    Mess(
        "an old disk with older dates",
        """
        old disk/misc/G_{1-5}.jpg = g{1-5} @2020-05-01
        Pictures/2020 garden/G_{1-5}.jpg = g{1-5} @2023-01-01
        """,
        "old disk/misc/G_{1-5}.jpg",
        "copying changed the dates; that the other files are older says nothing about the folders",
    ),
    Mess(
        "a new folder and a second one",
        """
        Scans/letters/page{1-3}.tif = p{1-3}
        Scans/New folder (2)/page{1-3}.tif = p{1-3} @2019-01-01
        """,
        "Scans/New folder (2)/page{1-3}.tif",
        "nobody kept letters in a folder called New folder on purpose",
    ),
    Mess(
        "a short name against a good one",
        """
        x/G_{1-4}.jpg = g{1-4}
        Photos/Grandmother's garden, June 2019/G_{1-4}.jpg = g{1-4}
        """,
        "x/G_{1-4}.jpg",
        "a path is not better for being short",
    ),
    Mess(
        "a backup drive that is left alone",
        """
        Photos/2024 kites/K_{1-4}.jpg = k{1-4}
        backup:Photos/2024 kites/K_{1-4}.jpg = k{1-4}
        backup:older/2024 kites/K_{1-4}.jpg = k{1-4}
        """,
        "",
        "a backup is no spare, and nobody tidies inside a backup without saying so",
    ),
    Mess(
        "an archive with two copies in it",
        """
        archive:2019/A_{1-4}.jpg = a{1-4}
        archive:2019 again/A_{1-4}.jpg = a{1-4}
        """,
        "",
        "what was archived is not tidied without being asked for",
    ),
    *(
        Mess(
            f"a conflicting copy called {name}",
            f"""
            2024/Regatta/kite.jpg = k
            2024/Regatta/{name}.jpg = k @2020-01-01
            """,
            f"2024/Regatta/{name}.jpg",
            "the plain name stays; the other one says that it is a copy",
        )
        for name in (
            "kite (conflicted copy 2024-06-13)",
            "kite (desk-2's conflicted copy 2024-06-13)",
            "kite (conflicted copy 2024-06-13 101500)",
            "kite (In Konflikt stehende Kopie von desk-2 2024-06-13)",
            "kite (Copie en conflit de desk-2 2024-06-13)",
            "kite (Copia en conflicto de desk-2 2024-06-13)",
            "kite (desk-2's conflicted copy 2024-06-13) (1)",
            "kite (copia in conflitto di desk-2 2024-06-13)",
            "kite.sync-conflict-20240613-101500-ABCDEFG",
            "kite_conflict-20240613-101500",
        )
    ),
    Mess(
        "a picture of a conflict",
        """
        2024/Rules/conflict (red kite).jpg = k
        2024/Rules/b conflict on the meadow.jpg = l
        Desktop/conflict (red kite).jpg = k
        Desktop/b conflict on the meadow.jpg = l
        """,
        """
        Desktop/conflict (red kite).jpg
        Desktop/b conflict on the meadow.jpg
        """,
        "the word is in the name of the picture, and says nothing of a copy",
    ),
)
