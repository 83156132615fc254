"""Words that mean one thing at the top of a library and another below a name that says what is in it."""

from .mess import Mess

CONTEXT = (
    Mess(
        "playing cards",
        """
        drawings/games/cards/C_{1-4}.png = c{1-4} @2020-01-01
        received/C_{1-4}.png = c{1-4} @2019-01-01
        """,
        "received/C_{1-4}.png",
        "cards of a game are no card of a camera",
    ),
    Mess(
        "what is left of a background",
        """
        Photos/2024 stage/background/misc/B_{1-4}.jpg = b{1-4} @2024-05-01
        Downloads/B_{1-4}.jpg = b{1-4} @2024-04-01
        """,
        "Downloads/B_{1-4}.jpg",
        "misc is what else belongs to the background, no old disk",
    ),
    Mess(
        "an old town",
        """
        Photos/2024 north coast/old/O_{1-3}.jpg = o{1-3} @2024-05-01
        uploads/O_{1-3}.jpg = o{1-3} @2024-04-01
        """,
        "uploads/O_{1-3}.jpg",
        "below the name of a trip, old is a part of it",
    ),
    Mess(
        "an old disk",
        """
        old/pictures/O_{1-3}.jpg = o{1-3} @2010-05-01
        Photos/2009 north coast/O_{1-3}.jpg = o{1-3} @2012-04-01
        """,
        "old/pictures/O_{1-3}.jpg",
        "at the top, old is where things were put aside",
    ),
    Mess(
        "what a phone uploaded, and a party",
        """
        Phone uploads/2024-06/IMG_{1-4}.jpg = g{1-4} @2024-06-01
        2024/Grandma turns 80/IMG_{1-4}.jpg = g{1-4} @2024-07-01
        """,
        "Phone uploads/2024-06/IMG_{1-4}.jpg",
        "somebody sorted the party; a phone uploads by itself",
    ),
    Mess(
        "what a phone sent by itself, in German",
        """
        Bilder/2024 Omas Geburtstag/IMG_{1-3}.jpg = g{1-3} @2024-07-01
        Handy Uploads/2024-06/IMG_{1-3}.jpg = g{1-3} @2024-06-01
        """,
        "Handy Uploads/2024-06/IMG_{1-3}.jpg",
        "the birthday was sorted",
    ),
    Mess(
        "cards of a camera below the year",
        """
        2024/cards/100WKD/WKD_{1-4}.jpg = w{1-4} @2024-05-01
        Photos/2024-05 kites/WKD_{1-4}.jpg = w{1-4} @2024-06-01
        """,
        "2024/cards/100WKD/WKD_{1-4}.jpg",
        "a camera's own folder tells that these cards are a camera's",
    ),
    Mess(
        "an export in a shoot",
        """
        Photos/2024-05 kites/WKD_{1-4}.jpg = w{1-4}
        Photos/2024-05 kites/export/WKD_{1-4}.jpg = w{1-4} @2020-01-01
        """,
        "Photos/2024-05 kites/export/WKD_{1-4}.jpg",
        "what was exported can be exported again, wherever it lies",
    ),
)
