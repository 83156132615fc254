"""Edits: what timelines use, exports, projects and their copies."""

from .mess import Mess

EDITS = (
    Mess(
        "an edit with its own copy of sorted media",
        """
        video/drone/DRN_{1-2}.mp4 = d{1-2}
        edit/media/DRN_{1-2}.mp4 = d{1-2}
        edit/highlights.otio = otio: media/DRN_1.mp4 media/DRN_2.mp4
        """,
        "",
        "the edit would go offline, and the sorted folder is where people look",
    ),
    Mess(
        "an edit that uses the sorted media, and a stray",
        """
        video/drone/DRN_{1-2}.mp4 = d{1-2}
        edit/highlights.otio = otio: ../video/drone/DRN_1.mp4 ../video/drone/DRN_2.mp4
        Desktop/DRN_1.mp4 = d1 @2020-01-01
        """,
        "Desktop/DRN_1.mp4",
        "the timeline finds its media, and the desktop is tidied",
    ),
    Mess(
        "an edit, a sorted folder and a card",
        """
        card/DCIM/100WKD/DRN_{1-3}.mp4 = d{1-3} @2020-01-01
        video/drone 2025/DRN_{1-3}.mp4 = d{1-3}
        edit/media/DRN_1.mp4 = d1
        edit/highlights.otio = otio: media/DRN_1.mp4
        """,
        "card/DCIM/100WKD/DRN_{1-3}.mp4",
        "the card was sorted; what the edit uses stays beside that",
    ),
    Mess(
        "exports that are the originals once more",
        """
        Masters/2025-06 kites/WKD_{1-4}.jpg = s{1-4}
        exports/for the web/WKD_{1-4}.jpg = s{1-4} @2020-01-01
        """,
        "exports/for the web/WKD_{1-4}.jpg",
        "what was exported can be exported again",
    ),
    Mess(
        "a project and a copy of it",
        """
        edit 2024/cut.otio = otio: media/C_1.mp4 media/C_2.mp4
        edit 2024/media/C_{1-2}.mp4 = c{1-2}
        edit 2024 backup/cut.otio = otio: media/C_1.mp4 media/C_2.mp4
        edit 2024 backup/media/C_{1-2}.mp4 = c{1-2}
        """,
        "",
        "each of the two opens as it is; taking files out of one breaks it",
    ),
    Mess(
        "sounds that two edits use, and the recorder's card",
        """
        recorder/REC_{1-3}.wav = r{1-3}
        edit one/sound/REC_1.wav = r1
        edit one/one.otio = otio: sound/REC_1.wav
        edit two/sound/REC_1.wav = r1
        edit two/two.otio = otio: sound/REC_1.wav
        """,
        "",
        "both edits need theirs, and the recordings stay whole",
    ),
)
