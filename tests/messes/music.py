"""Music: albums, players, compilations."""

from .mess import Mess

MUSIC = (
    Mess(
        "a player's backup of everything, flat",
        """
        player backup/0{1-8} tune.mp3 = t{1-8} @2019-01-01
        Music/Windmere Brass/Marches/0{1-4} tune.mp3 = t{1-4}
        Music/Windmere Brass/Hymns/0{5-8} tune.mp3 = t{5-8}
        """,
        "player backup/0{1-8} tune.mp3",
        "artist and album are how music is kept; a player's backup is a dump",
    ),
    Mess(
        "an album and a compilation",
        """
        Music/Windmere Brass/Marches/0{1-6} march.mp3 = m{1-6}
        Music/Windmere Brass/Best of twenty years/0{2-3} march.mp3 = m{2-3}
        Music/Windmere Brass/Best of twenty years/0{7-9} hymn.mp3 = h{7-9}
        """,
        "",
        "both are albums, and an album stays whole",
    ),
    Mess(
        "an album that was copied again",
        """
        Music/Windmere Brass/Marches/0{1-6} march.mp3 = m{1-6}
        Music/Windmere Brass/Marches 2/0{1-6} march.mp3 = m{1-6} @2018-01-01
        """,
        "Music/Windmere Brass/Marches 2/0{1-6} march.mp3",
        "the same album twice; the second has a number behind its name",
    ),
    Mess(
        "tunes that nobody sorted yet",
        """
        Music/Unsorted/march.mp3 = m1 @2018-01-01
        Music/Windmere Brass/Marches/01 march.mp3 = m1
        Music/Windmere Brass/Marches/02 march.mp3 = m2
        """,
        "Music/Unsorted/march.mp3",
        "the album stays whole",
    ),
    Mess(
        "one tune under two names in one album",
        """
        Music/Windmere Brass/Marches/01 march.mp3 = m1
        Music/Windmere Brass/Marches/01 march (1).mp3 = m1 @2018-01-01
        """,
        "Music/Windmere Brass/Marches/01 march (1).mp3",
        "the plain name stays",
    ),
    Mess(
        "an album of which a part was ripped again elsewhere",
        """
        rips/disc/0{1-3} march.mp3 = m{1-3} @2018-01-01
        Music/Windmere Brass/Marches/0{1-6} march.mp3 = m{1-6}
        """,
        "rips/disc/0{1-3} march.mp3",
        "the whole album stays",
    ),
)
