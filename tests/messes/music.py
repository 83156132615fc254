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
    Mess(
        "two discs with one cover",
        """
        Music/Windmere Brass/Marches/disc 1/0{1-4} march.mp3 = m{1-4}
        Music/Windmere Brass/Marches/disc 1/cover.jpg = c
        Music/Windmere Brass/Marches/disc 2/0{5-8} march.mp3 = m{5-8}
        Music/Windmere Brass/Marches/disc 2/cover.jpg = c
        """,
        "",
        "a cover stays with its music",
    ),
    Mess(
        "one portrait in three albums, once in a folder for the booklet",
        """
        Music/Windmere Brass/Marches/0{1-4} march.mp3 = m{1-4}
        Music/Windmere Brass/Marches/booklet/portrait.jpg = p
        Music/Windmere Brass/Hymns/0{1-3} hymn.mp3 = h{1-3}
        Music/Windmere Brass/Hymns/folder.jpg = p
        Music/Windmere Brass/Waltzes/0{1-3} waltz.mp3 = w{1-3}
        Music/Windmere Brass/Waltzes/folder.jpg = p
        """,
        "",
        "covers and booklets stay with their music",
    ),
    Mess(
        "a cover that was taken from a shoot",
        """
        Music/Windmere Brass/Marches/0{1-4} march.mp3 = m{1-4}
        Music/Windmere Brass/Marches/cover.jpg = p3
        Pictures/2024 Brass band/portrait {1-5}.jpg = p{1-5}
        Desktop/portrait 3.jpg = p3 @2018-01-01
        """,
        "Desktop/portrait 3.jpg",
        "the cover stays with its music, and the shoot whole",
    ),
    Mess(
        "pictures with spoken notes beside them",
        """
        2024/Regatta/IMG_{1-5}.jpg = p{1-5}
        2024/Regatta/IMG_{1-5}.wav = w{1-5}
        Desktop/IMG_3.jpg = p3 @2018-01-01
        phone/IMG_{1-2}.jpg = p{1-2} @2018-01-01
        phone/IMG_{1-2}.wav = v{1-2} @2018-01-01
        """,
        """
        Desktop/IMG_3.jpg
        phone/IMG_{1-2}.jpg
        """,
        "a note that the camera recorded makes no album of a shoot",
    ),
    Mess(
        "an album that was copied again with its cover",
        """
        Music/Windmere Brass/Marches/0{1-6} march.mp3 = m{1-6}
        Music/Windmere Brass/Marches/cover.jpg = c
        Music/Windmere Brass/Marches 2/0{1-6} march.mp3 = m{1-6} @2018-01-01
        Music/Windmere Brass/Marches 2/cover.jpg = c @2018-01-01
        """,
        """
        Music/Windmere Brass/Marches 2/0{1-6} march.mp3
        Music/Windmere Brass/Marches 2/cover.jpg
        """,
        "the second album goes whole, with its cover",
    ),
    Mess(
        "an album and its rip, each with the cover",
        """
        rips/disc/0{1-3} march.mp3 = m{1-3} @2018-01-01
        rips/disc/cover.jpg = c @2018-01-01
        Music/Windmere Brass/Marches/0{1-6} march.mp3 = m{1-6}
        Music/Windmere Brass/Marches/cover.jpg = c
        """,
        """
        rips/disc/0{1-3} march.mp3
        rips/disc/cover.jpg
        """,
        "what is left of a rip would be its cover alone",
    ),
)
