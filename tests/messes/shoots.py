"""Cards, shoots, imports and phones."""

from .mess import Mess

SHOOTS = (
    Mess(
        "one card, two shoots",
        """
        card/DCIM/100WKD/WKD_{1-8}.jpg = s{1-8}
        Masters/2024-05 wedding/WKD_{1-4}.jpg = s{1-4}
        Masters/2024-06 north coast/WKD_{5-8}.jpg = s{5-8}
        """,
        "card/DCIM/100WKD/WKD_{1-8}.jpg",
        "the card was sorted into two shoots; nobody empties sorted folders for a card dump",
    ),
    Mess(
        "a card of which one picture was never sorted",
        """
        card/DCIM/100WKD/WKD_{1-9}.jpg = s{1-9}
        Masters/2024-05 wedding/WKD_{1-8}.jpg = s{1-8}
        """,
        "card/DCIM/100WKD/WKD_{1-8}.jpg",
        "what was sorted leaves the card, the ninth is only there",
    ),
    Mess(
        "a card copied in twice",
        """
        cards/camera A/WKD_{1-5}.jpg = s{1-5}
        cards/camera A copy/WKD_{1-5}.jpg = s{1-5} @2025-06-12
        """,
        "cards/camera A copy/WKD_{1-5}.jpg",
        "the folder says itself that it is the copy",
    ),
    Mess(
        "a copy that stopped half-way",
        """
        cards/sunday/WKD_{1-6}.jpg = s{1-6}
        cards/sun/WKD_{1-3}.jpg = s{1-3}
        """,
        "cards/sun/WKD_{1-3}.jpg",
        "all of it lies in the other, which holds more",
    ),
    Mess(
        "an import that renamed",
        """
        Pictures/2025 kite days/WKD_{1-4}.jpg = s{1-4}
        Imported/2025-06-13 WKD_{1-4}.jpg = s{1-4} @2025-06-01
        """,
        "Imported/2025-06-13 WKD_{1-4}.jpg",
        "an import folder is where things arrive, not where they are kept",
    ),
    Mess(
        "an import by date beside a sorted shoot",
        """
        import/2025/06/13/WKD_{1-6}.jpg = s{1-6}
        Photos/Kite days 2025/WKD_{1-3}.jpg = s{1-3}
        Photos/Night flights/WKD_{4-6}.jpg = s{4-6}
        """,
        "import/2025/06/13/WKD_{1-6}.jpg",
        "two sorted shoots together hold what the import dumped",
    ),
    Mess(
        "a phone and the family's album",
        """
        phone of Mia/DCIM/Camera/IMG_{1-6}.jpg = p{1-6} @2023-07-01
        Family/2023 summer at the lake/IMG_{1-6}.jpg = p{1-6} @2023-08-15
        """,
        "phone of Mia/DCIM/Camera/IMG_{1-6}.jpg",
        "somebody made an album of the phone's pictures, later, so its dates are newer",
    ),
    Mess(
        "two dumps of one phone",
        """
        phone 2022/DCIM/Camera/IMG_{1-6}.jpg = p{1-6}
        phone 2023/DCIM/Camera/IMG_{1-9}.jpg = p{1-9}
        """,
        "phone 2022/DCIM/Camera/IMG_{1-6}.jpg",
        "the later dump has all of the earlier one, and more",
    ),
    Mess(
        "uploads that a phone made by itself",
        """
        Camera Uploads/2023-06-12 10.{11-14}.00.jpg = p{11-14} @2023-06-12
        Photos/2023-06 hay harvest/hay {11-14}.jpg = p{11-14} @2023-06-20
        """,
        "Camera Uploads/2023-06-12 10.{11-14}.00.jpg",
        "the other folder was named by somebody, and so were its files",
    ),
    Mess(
        "pictures that came by message",
        """
        phone of Mia/Received/pic{1-3}.jpg = p{1-3}
        Family/2023 birthday/pic{1-3}.jpg = p{1-3}
        """,
        "phone of Mia/Received/pic{1-3}.jpg",
        "the album is where the family looks for them",
    ),
    Mess(
        "raw, JPEG and sidecar in a sorted folder, raw and JPEG on the card",
        """
        card/DCIM/100WKD/WKD_{1-3}.cr3 = raw{1-3} @2024-05-01
        card/DCIM/100WKD/WKD_{1-3}.jpg = jpg{1-3} @2024-05-01
        Masters/2024-05 wedding/WKD_{1-3}.cr3 = raw{1-3}
        Masters/2024-05 wedding/WKD_{1-3}.jpg = jpg{1-3}
        Masters/2024-05 wedding/WKD_{1-3}.xmp = xmp: 4
        """,
        """
        card/DCIM/100WKD/WKD_{1-3}.cr3
        card/DCIM/100WKD/WKD_{1-3}.jpg
        """,
        "the sorted folder, and what was written about the pictures, stay together",
    ),
    Mess(
        "one picture in two formats, each older in another folder",
        """
        north/K.cr3 = raw @2024-05-01
        north/K.jpg = jpg @2024-05-09
        north/K.xmp = xmp: 5
        south/K.cr3 = raw @2024-05-05
        south/K.jpg = jpg @2024-05-02
        """,
        """
        south/K.cr3
        south/K.jpg
        """,
        "raw, JPEG and rating are one picture: nobody splits them",
    ),
    Mess(
        "numbered twice in one folder",
        """
        Photos/2024 garden/rose.jpg = r
        Photos/2024 garden/rose-2.jpg = r @2024-01-01
        Photos/2024 garden/rose (1).jpg = r @2024-01-01
        """,
        """
        Photos/2024 garden/rose-2.jpg
        Photos/2024 garden/rose (1).jpg
        """,
        "the plain name stays, whatever the dates say",
    ),
    Mess(
        "a flat folder that was sorted into two",
        """
        everything/WKD_{1-8}.jpg = s{1-8}
        2024-05 wedding/WKD_{1-4}.jpg = s{1-4} @2025-07-01
        2024-06 north coast/WKD_{5-8}.jpg = s{5-8} @2025-07-01
        """,
        "everything/WKD_{1-8}.jpg",
        "two folders together hold all of the one, and say what is in them",
    ),
    Mess(
        "a shoot and two selections of it",
        """
        stills/2025-06 kite days/WKD_{1-9}.jpg = s{1-9}
        for the poster/WKD_{2-3}.jpg = s{2-3}
        for the press/WKD_{4-6}.jpg = s{4-6}
        """,
        """
        for the poster/WKD_{2-3}.jpg
        for the press/WKD_{4-6}.jpg
        """,
        "the shoot stays whole; selections of it lie whole in it",
    ),
    Mess(
        "two shoots that share three pictures",
        """
        Photos/2024 kites/K_{1-9}.jpg = k{1-9}
        Photos/2024 night/K_{7-9}.jpg = k{7-9}
        Photos/2024 night/N_{1-2}.jpg = n{1-2}
        """,
        "Photos/2024 night/K_{7-9}.jpg",
        "the larger shoot stays whole, and the smaller one keeps what only it has",
    ),
)
