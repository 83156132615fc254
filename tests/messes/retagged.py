"""Copies into which a program wrote something since."""

from .mess import Mess

_BOTH = "--same content,essence"

RETAGGED = (
    Mess(
        "a card, and the photos of it that somebody rated",
        """
        card/DSC000{1-6}.jpg = photo: {1-6}
        Pictures/2025 kites/DSC000{1-6}.jpg = photo: {1-6} rated 4 @2025-06-20
        """,
        "card/DSC000{1-6}.jpg",
        "what was rated is what somebody works with; the card is in it, picture for picture",
        _BOTH,
    ),
    Mess(
        "a rated copy in a dump",
        """
        Pictures/2025 kites/DSC000{1-3}.jpg = photo: {1-3}
        desktop/DSC0001 copy.jpg = photo: 1 rated 5 Over the sea
        """,
        "Pictures/2025 kites/DSC0001.jpg",
        "the words are what cannot be had again; where it lies can be changed",
        _BOTH,
    ),
    Mess(
        "a photo that was turned in one copy",
        """
        Pictures/2025 kites/DSC0001.jpg = photo: 1
        Pictures/2025 kites/upright/DSC0001.jpg = photo: 1 turned
        """,
        "",
        "they do not look the same, whatever the data in them are",
        _BOTH,
    ),
    Mess(
        "three copies, of which two say something",
        """
        old/DSC0001.jpg = photo: 1
        Pictures/DSC0001.jpg = photo: 1 rated 2
        Pictures/best/DSC0001.jpg = photo: 1 rated 5 Over the sea
        """,
        """
        old/DSC0001.jpg
        Pictures/DSC0001.jpg
        """,
        "the one with title and rating says most",
        _BOTH,
    ),
    Mess(
        "copies of a rated copy",
        """
        card/DSC0001.jpg = photo: 1
        Pictures/2025 kites/DSC0001.jpg = photo: 1 rated 4
        Pictures/2025 kites/DSC0001 (1).jpg = photo: 1 rated 4
        """,
        """
        card/DSC0001.jpg
        Pictures/2025 kites/DSC0001 (1).jpg
        """,
        "one rated copy is enough, and it keeps its plain name",
        _BOTH,
    ),
    Mess(
        "a plain copy that a film uses",
        """
        edit/media/DSC0001.jpg = photo: 1
        edit/cut.otio = otio: media/DSC0001.jpg
        Pictures/2025 kites/DSC0001.jpg = photo: 1 rated 4
        """,
        "",
        "the film looks for it there, and the rated one is the best",
        _BOTH,
    ),
    Mess(
        "a backup of before the rating",
        """
        Pictures/DSC000{1-3}.jpg = photo: {1-3} rated 3
        backup:Pictures/DSC000{1-3}.jpg = photo: {1-3}
        """,
        "",
        "a backup is no spare",
        _BOTH,
    ),
    Mess(
        "other photos of the same size and camera",
        """
        Pictures/2025 kites/DSC000{1-4}.jpg = photo: {1-4} rated 4
        card/DSC000{5-8}.jpg = photo: {5-8}
        """,
        "",
        "nothing is there twice",
        _BOTH,
    ),
    Mess(
        "an album twice, under other tags",
        """
        Music/Brass/Marches/0{1-4}.flac = tune: {1-4} title=March artist=Brass
        Music/Brass/Marches/0{5-6}.flac = tune: {5-6}
        Music/Ripped/Marches/0{1-4}.flac = tune: {1-4} title=March
        Music/Ripped/Marches/0{5-6}.flac = tune: {5-6} title=March
        """,
        "Music/Ripped/Marches/0{1-6}.flac",
        "an album stays whole: the one of which more is written; words of the other are kept with it",
        _BOTH,
    ),
    Mess(
        "an album and three of its tunes, better tagged, among others",
        """
        Music/Brass/Marches/0{1-8}.flac = tune: {1-8} title=March
        Music/Best of twenty years/0{2-4}.flac = tune: {2-4} title=March artist=Brass
        Music/Best of twenty years/1{1-3}.flac = tune: 1{1-3} title=Waltz
        """,
        "",
        "two albums; neither lies whole in the other",
        _BOTH,
    ),
    Mess(
        "a rated shoot, and its card with one picture rated better",
        """
        Photos/2025 kites/DSC000{1-5}.jpg = photo: {1-5} rated 3
        card/DSC000{1-4}.jpg = photo: {1-4}
        card/DSC0005.jpg = photo: 5 rated 3 Kites
        """,
        "card/DSC000{1-5}.jpg",
        "the shoot stays whole; what a copy on the card says more is written beside the keeper",
        _BOTH,
    ),
)
