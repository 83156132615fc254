"""Reading other people's text: any of the usual encodings, lines of bounded length, files of bounded size."""

import codecs
import os
from collections.abc import Iterator
from typing import BinaryIO

_LONGEST_LINE = 1024 * 1024
_LARGEST = 256 * 1024 * 1024
_BOMS = ((codecs.BOM_UTF8, "utf-8"), (codecs.BOM_UTF16_LE, "utf-16-le"), (codecs.BOM_UTF16_BE, "utf-16-be"))


def read_whole(path: str) -> bytes:
    """Return a file that has to be read in one piece; raise ValueError if it is too large for that."""
    with open(path, "rb") as file:
        if os.fstat(file.fileno()).st_size > _LARGEST:
            raise ValueError(f"it is larger than {_LARGEST // 1024**2} MiB, which is too much to read in one piece")
        return file.read(_LARGEST + 1)[:_LARGEST]


def text_of(data: bytes) -> str:
    """Return text with or without a byte order mark; what is no UTF-8 is carried as lone surrogates (PEP 383)."""
    for mark, encoding in _BOMS:
        if data.startswith(mark):
            return data[len(mark) :].decode(encoding, "surrogateescape" if encoding == "utf-8" else "replace")
    return data.decode("utf-8", "surrogateescape")


def is_utf16(data: bytes) -> bool:
    """Tell whether text begins as UTF-16 does."""
    return data.startswith((codecs.BOM_UTF16_LE, codecs.BOM_UTF16_BE))


def lines_of(file: BinaryIO) -> Iterator[tuple[int, str]]:
    """Yield the number and the text of each line of a file, without its end; raise ValueError for one without end."""
    start = file.read(4)
    file.seek(0)
    if is_utf16(start):
        if os.fstat(file.fileno()).st_size > _LARGEST:
            raise ValueError(f"it is larger than {_LARGEST // 1024**2} MiB, which is too much for UTF-16")
        yield from enumerate(text_of(file.read()).splitlines(), start=1)
        return
    number = 0
    while line := file.readline(_LONGEST_LINE + 1):
        number += 1
        if len(line) > _LONGEST_LINE:
            raise ValueError(f"line {number} is longer than {_LONGEST_LINE // 1024**2} MiB")
        yield number, (text_of(line) if number == 1 else line.decode("utf-8", "surrogateescape")).rstrip("\r\n")
