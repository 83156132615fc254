"""Stocks made by code, for sizes that no test tree should have."""

from hashlib import blake2b

from foldkeep.model import Role
from foldkeep.stock import Sighting, Stock


def fill_stock(path: str, count: int) -> None:
    """Make a stock of `count` files in four places: a fifth of them in sets of two, some of three.

    Folders hold 250 files; copies lie in another place, whole shoots at a time, as they do in life.
    """
    with Stock.open(path, create=True) as stock, stock.transaction(flush=False):
        volumes = [stock.places.volume(f"uuid:{number}", f"drive {number}") for number in range(2)]
        places = [
            stock.places.add(b"/drives/%d" % number, Role.WORKING, f"drive-{number}", volumes[number % 2], number)
            for number in range(4)
        ]
        number = 0
        shoot = 0
        while number < count:
            shoot += 1
            homes = 1 if shoot % 9 else 3 if shoot % 27 == 0 else 2
            for copy in range(homes):
                place = places[(shoot + copy) % 4]
                folder_path = place.path + b"/%d/shoot %d" % (shoot % 1000, shoot)
                folder = stock.files.enter_folder(folder_path, place.id, place.volume, 1, None)
                rows = [
                    Sighting(b"WKD_%07d.jpg" % (shoot * 250 + n), "photo", 4_000_000 + shoot * 250 + n,
                             1_700_000_000_123_456_789 + n, number + n, 1, 1000)
                    for n in range(250)
                ]  # fmt: skip
                stock.files.put(folder, place.id, place.volume, rows)
                if homes > 1:
                    known = stock.files.numbers_in(folder)
                    stock.files.set_read(
                        (
                            shoot * 250 + n,
                            blake2b(b"%d %d" % (shoot, n), digest_size=32).digest(),
                            None,
                            None,
                            known[row.name],
                        )
                        for n, row in enumerate(rows)
                    )
                number += 250
