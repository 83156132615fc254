"""Folders that programs need as they are."""

from .mess import Mess

PROGRAMS = (
    Mess(
        "a site and the picture on it",
        """
        site/index.html = page
        site/img/kite.jpg = k
        Pictures/2024 festival/kite.jpg = k
        """,
        "",
        "the page shows its picture, and the album has its own",
    ),
    Mess(
        "a game's textures",
        """
        games/kite game/package.json = manifest
        games/kite game/assets/level 1/sky.png = sky
        games/kite game/assets/level 2/sky.png = sky
        """,
        "",
        "the game looks for both",
    ),
    Mess(
        "a checkout with test pictures",
        """
        code/reader/.git/HEAD = ref
        code/reader/tests/a/kite.jpg = k
        code/reader/tests/b/kite.jpg = k
        """,
        "",
        "what is under version control is left to it",
    ),
    Mess(
        "a copy in a checkout and one in the album",
        """
        code/reader/.git/HEAD = ref
        code/reader/docs/kite.jpg = k
        Pictures/2024 festival/kite.jpg = k
        Desktop/kite.jpg = k @2020-01-01
        """,
        "Desktop/kite.jpg",
        "the checkout is left alone, the album stays, the desktop is tidied",
    ),
    *(
        Mess(
            f"a saved page with its {ending}",
            f"""
            Pages/The red kite.html = page
            Pages/The red kite{ending}/kite.jpg = k
            Pages/The red kite{ending}/logo.png = l
            Pictures/2024 festival/kite.jpg = k
            """,
            "",
            "the page shows its picture, and the album has its own",
        )
        for ending in ("_files", "-Dateien", "_fichiers", "_archivos", "_bestanden", ".data", "_ファイル")
    ),
    Mess(
        "the same page saved twice",
        """
        Pages/The red kite.html = page
        Pages/The red kite_files/kite.jpg = k
        Pages/old/The red kite.htm = page
        Pages/old/The red kite_files/kite.jpg = k
        """,
        "",
        "a page and its folder are one thing, and both were saved",
    ),
    Mess(
        "a folder beside a page of another name",
        """
        Pages/The red kite.html = page
        Pages/The red kite 2024/kite.jpg = k
        Pictures/2024 festival/kite.jpg = k
        Pages/The red kite 2024/copy of kite.jpg = k
        """,
        """
        Pages/The red kite 2024/kite.jpg
        Pages/The red kite 2024/copy of kite.jpg
        """,
        "a year is no ending of a page's folder: the album stays",
    ),
)
