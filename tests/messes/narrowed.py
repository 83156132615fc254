"""The same messes with a filter or a protection, which never turn a choice round."""

from .mess import Mess

_SORTED = """
Photos/2021 kites/K_{1-6}.jpg = k{1-6} @2021-05-01
laptop backup/K_{1-6}.jpg = k{1-6} @2021-05-01
"""

_CARD = """
card/DCIM/100WKD/WKD_{1-4}.jpg = w{1-4}
card/DCIM/100WKD/CLIP_{1-2}.mp4 = v{1-2}
Masters/2025 kites/WKD_{1-4}.jpg = w{1-4} @2025-07-01
Masters/2025 kites/CLIP_{1-2}.mp4 = v{1-2} @2025-07-01
"""

_ALBUM = """
music/Brass/Delta/0{1-5}.flac = t{1-5}
player/0{1-5}.flac = t{1-5} @2020-01-01
"""

NARROWED = (
    Mess("only below the sorted shoot", _SORTED, "", "the spares lie elsewhere", "--under PLACE/Photos"),
    Mess(
        "only below the backup", _SORTED, "laptop backup/K_{1-6}.jpg", "the spares are asked for",
        "--under PLACE/laptop\\ backup",
    ),
    Mess(
        "not below the backup", _SORTED, "", "the spares are those not asked for", "--not-under PLACE/laptop\\ backup"
    ),
    Mess("the backup protected", _SORTED, "", "it stays beside the keeper", "--protect PLACE/laptop\\ backup"),
    Mess(
        "the shoot protected", _SORTED, "laptop backup/K_{1-6}.jpg", "it would have stayed anyway",
        "--protect PLACE/Photos",
    ),
    Mess("only videos of a card", _CARD, "card/DCIM/100WKD/CLIP_{1-2}.mp4", "the photos are not asked for",
         "--kind video"),
    Mess("only one name of a card", _CARD, "card/DCIM/100WKD/WKD_3.jpg", "one file was asked for", "--name WKD_3.*"),
    Mess("only what is older than the masters", _CARD, "", "nothing is so old", "--older-than 10y"),
    Mess(
        "a player's copy, protected by a glob", _ALBUM, "player/0{1-2}.flac\nplayer/0{4-5}.flac",
        "one tune is protected, and the choice of the others is the same", "--protect PLACE/player/03.flac",
    ),
    Mess("only below the album", _ALBUM, "", "the player's copies lie elsewhere", "--under PLACE/music"),
    Mess(
        "two copies are to stay", _SORTED + "\nstick/K_{1-6}.jpg = k{1-6} @2021-05-01\n",
        "", "three copies, of which two stay, and the third is not asked for",
        "--at-least 2 --not-under PLACE/laptop\\ backup --not-under PLACE/stick",
    ),
    Mess(
        "a folder in which copies go, given up",
        _SORTED, "Photos/2021 kites/K_{1-6}.jpg", "I said so", "--give-up-under PLACE/Photos",
    ),
    Mess(
        "large ones only", _CARD + "\nMasters/2025 kites/long.mp4 = a long film that was copied\n"
        "card/DCIM/100WKD/long.mp4 = a long film that was copied\n",
        "card/DCIM/100WKD/long.mp4", "only one is so large", "--larger-than 1kB",
    ),
)  # fmt: skip
