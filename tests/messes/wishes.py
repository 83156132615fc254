"""What a person says outright."""

from .mess import Mess

WISHES = (
    Mess(
        "masters preferred, and a protected stray",
        """
        Masters/2024 kites/K_{1-3}.jpg = k{1-3}
        Desktop/K_2.jpg = k2 @2020-01-01
        """,
        "",
        "I prefer the masters and protect the desktop: neither is a reason against the other",
        "--prefer under:PLACE/Masters --protect PLACE/Desktop",
    ),
    Mess(
        "masters preferred, with a filter that leaves the stray out",
        """
        Masters/2024 kites/K_{1-3}.jpg = k{1-3}
        Desktop/K_2.jpg = k2 @2020-01-01
        other/K_{1-3}.jpg = k{1-3}
        """,
        "other/K_{1-3}.jpg",
        "the stray is not asked about, so it stays, and is no reason against a master",
        "--prefer under:PLACE/Masters --not-under PLACE/Desktop",
    ),
    Mess(
        "give up the desktop, whatever it is called",
        """
        Desktop/2024 kites/K_{1-3}.jpg = k{1-3}
        misc/K_{1-3}.jpg = k{1-3}
        """,
        "Desktop/2024 kites/K_{1-3}.jpg",
        "I said so",
        "--give-up-under PLACE/Desktop",
    ),
)
