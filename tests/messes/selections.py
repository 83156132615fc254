"""Selections that somebody made from several shoots, what only looks like one, and trees that hold a flat folder."""

from .mess import Mess

_SHOOTS = """
Photos/2023-05 regatta/R_{1-12}.jpg = r{1-12} @2023-05-02
Photos/2024-06 kite days/K_{1-12}.jpg = k{1-12} @2024-06-02
Photos/2024-09 night flights/N_{1-12}.jpg = n{1-12} @2024-09-02
"""

SELECTIONS = (
    Mess(
        "a portfolio from three shoots",
        _SHOOTS
        + """
        Portfolio/R_{2-4}.jpg = r{2-4} @2023-05-02
        Portfolio/K_{5-7}.jpg = k{5-7} @2024-06-02
        Portfolio/N_{1-2}.jpg = n{1-2} @2024-09-02
        """,
        "",
        "somebody chose these from three shoots; the selection stays, and so do the shoots",
    ),
    Mess(
        "the best of two shoots, renamed",
        _SHOOTS
        + """
        Best of/kites 0{1-3}.jpg = k{1-3} @2025-01-01
        Best of/boats 0{4-6}.jpg = r{4-6} @2025-01-01
        """,
        "",
        "few of many, with names of their own: a choice that somebody made",
    ),
    Mess(
        "prints for a client",
        _SHOOTS
        + """
        clients/harbour office/prints/0{1-2}.jpg = r{1-2} @2025-01-01
        clients/harbour office/prints/0{3-4}.jpg = n{3-4} @2025-01-01
        """,
        "",
        "what a client was given is known from this folder alone",
    ),
    Mess(
        "selections for two clients that share a picture, one of each shoot",
        _SHOOTS
        + """
        clients/harbour office/prints/R_1.jpg = r1 @2023-05-02
        clients/harbour office/prints/K_1.jpg = k1 @2024-06-02
        clients/harbour office/prints/N_1.jpg = n1 @2024-09-02
        clients/kite school/prints/R_7.jpg = r7 @2023-05-02
        clients/kite school/prints/K_1.jpg = k1 @2024-06-02
        clients/kite school/prints/N_8.jpg = n8 @2024-09-02
        """,
        "",
        "two clients, two choices; that one picture is in both makes neither of them a copy",
    ),
    Mess(
        "an old laptop with the same shoots",
        _SHOOTS
        + """
        laptop/2023-05 regatta/R_{1-5}.jpg = r{1-5} @2023-05-02
        laptop/2024-06 kite days/K_{1-5}.jpg = k{1-5} @2024-06-02
        """,
        """
        laptop/2023-05 regatta/R_{1-5}.jpg
        laptop/2024-06 kite days/K_{1-5}.jpg
        """,
        "names, days and folders are those of the shoots: nobody chose here, a part was copied",
    ),
    Mess(
        "an unsorted dump of three shoots",
        _SHOOTS
        + """
        Desktop/R_{2-4}.jpg = r{2-4} @2023-05-02
        Desktop/K_{5-7}.jpg = k{5-7} @2024-06-02
        """,
        """
        Desktop/R_{2-4}.jpg
        Desktop/K_{5-7}.jpg
        """,
        "strays on the desktop are no selection",
    ),
    Mess(
        "a flat folder with all of two shoots",
        _SHOOTS
        + """
        everything/R_{1-12}.jpg = r{1-12} @2023-05-02
        everything/K_{1-12}.jpg = k{1-12} @2024-06-02
        """,
        """
        everything/R_{1-12}.jpg
        everything/K_{1-12}.jpg
        """,
        "whole shoots in one heap are no choice; they lie sorted elsewhere",
    ),
    Mess(
        "a selection and its copy on the desktop",
        _SHOOTS
        + """
        Portfolio/R_{2-4}.jpg = r{2-4} @2023-05-02
        Portfolio/K_{5-7}.jpg = k{5-7} @2024-06-02
        Desktop/R_{2-4}.jpg = r{2-4} @2023-05-02
        Desktop/K_{5-7}.jpg = k{5-7} @2024-06-02
        """,
        """
        Desktop/R_{2-4}.jpg
        Desktop/K_{5-7}.jpg
        """,
        "the selection stays with its originals; what was put on the desktop goes",
    ),
    Mess(
        "a selection that links may take the place of",
        _SHOOTS
        + """
        Portfolio/R_{2-4}.jpg = r{2-4} @2023-05-02
        Portfolio/K_{5-7}.jpg = k{5-7} @2024-06-02
        """,
        """
        Portfolio/R_{2-4}.jpg
        Portfolio/K_{5-7}.jpg
        """,
        "a link leaves the selection as it is, and frees its space",
        "--for-links",
    ),
    Mess(
        "a film in its project and the one delivered",
        """
        projects/regatta film/regatta.otio = otio: media/C_1.mp4 media/C_2.mp4
        projects/regatta film/media/C_{1-2}.mp4 = c{1-2}
        projects/regatta film/exports/regatta film.mp4 = film
        Delivered/2024 harbour office/regatta film.mp4 = film
        """,
        "",
        "the project has what it made, and the folder of what was delivered says what went out",
    ),
    Mess(
        "a flat folder that lies whole in a sorted tree",
        """
        pictures of Anna/P_{1-9}.jpg = p{1-9}
        Photos/2022/garden/P_{1-3}.jpg = p{1-3} @2025-07-01
        Photos/2022/garden/G_{1-2}.jpg = g{1-2}
        Photos/2023/harbour/P_{4-6}.jpg = p{4-6} @2025-07-01
        Photos/2023/harbour/H_{1-2}.jpg = h{1-2}
        Photos/2024/hill/P_{7-9}.jpg = p{7-9} @2025-07-01
        Photos/2024/hill/I_{1-2}.jpg = i{1-2}
        """,
        "pictures of Anna/P_{1-9}.jpg",
        "all of it lies in a tree that says more; nobody empties three sorted folders for a flat one",
    ),
    Mess(
        "two flat copies of one sorted tree",
        """
        laptop/P_{1-8}.jpg = p{1-8}
        stick/P_{1-8}.jpg = p{1-8}
        Photos/2022/garden/P_{1-4}.jpg = p{1-4} @2025-07-01
        Photos/2022/garden/G_1.jpg = g
        Photos/2023/harbour/P_{5-8}.jpg = p{5-8} @2025-07-01
        Photos/2023/harbour/H_1.jpg = h
        """,
        """
        laptop/P_{1-8}.jpg
        stick/P_{1-8}.jpg
        """,
        "the tree holds all of both",
    ),
    Mess(
        "a flat folder with more than the tree",
        """
        Photos/all of summer/P_{1-9}.jpg = p{1-9}
        by day/monday/P_{1-2}.jpg = p{1-2}
        by day/friday/P_{3-4}.jpg = p{3-4}
        """,
        """
        by day/monday/P_{1-2}.jpg
        by day/friday/P_{3-4}.jpg
        """,
        "the flat one holds much that lies nowhere else, and stays whole",
    ),
)
