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
)
