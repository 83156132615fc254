"""Reading other people's text: any of the usual encodings, lines of bounded length, files of bounded size."""

import codecs
import errno
import os
import stat
from collections.abc import Iterator
from typing import BinaryIO

_LONGEST_LINE = 1024 * 1024
_LONGEST_ENCODING = 40
_LARGEST = 256 * 1024 * 1024
_BOMS = ((codecs.BOM_UTF8, "utf-8"), (codecs.BOM_UTF16_LE, "utf-16-le"), (codecs.BOM_UTF16_BE, "utf-16-be"))


# Codecs of Python that are no encodings of text, or take time without bound.
_NO_ENCODINGS = frozenset(("idna", "punycode", "unicode_escape", "raw_unicode_escape", "undefined"))


def opened_file(path: str | bytes) -> BinaryIO:
    """Open a file to read it; raise OSError if it is none: a device gives without end, and a pipe perhaps nothing."""
    descriptor = os.open(path, os.O_RDONLY | os.O_NONBLOCK | os.O_CLOEXEC)
    facts = os.fstat(descriptor)
    if stat.S_ISREG(facts.st_mode) or os.path.samestat(facts, os.stat(os.devnull)):  # which is how one names nothing
        return os.fdopen(descriptor, "rb")
    os.close(descriptor)
    if stat.S_ISDIR(facts.st_mode):
        raise IsADirectoryError(errno.EISDIR, os.strerror(errno.EISDIR))
    raise OSError(errno.EINVAL, "it is a device, a pipe or a socket, and no file")


def text_encoding(name: str) -> str:
    """Return the name that Python has for an encoding of text; raise ValueError if there is none."""
    try:
        info = codecs.lookup(name) if len(name) <= _LONGEST_ENCODING else None
    except (LookupError, ValueError):
        info = None
    if info is None or info.name in _NO_ENCODINGS or not getattr(info, "_is_text_encoding", True):
        raise ValueError(f"the encoding {name[:_LONGEST_ENCODING]!r} is not known")
    return info.name


def read_whole(path: str, most: int = _LARGEST) -> bytes:
    """Return a file that has to be read in one piece; raise ValueError if it is too large for that."""
    with opened_file(path) as file:
        data = file.read(most + 1) if os.fstat(file.fileno()).st_size <= most else b""
        if len(data) > most or os.fstat(file.fileno()).st_size > most:
            raise ValueError(f"it is larger than {most // 1024**2} MiB, which is too much to read in one piece")
        return data


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


def walked(top: bytes) -> Iterator[tuple[bytes, list[bytes]]]:
    """Yield a folder and those below it, however deep, each with the names in it that are no folders, in order.

    Links are not followed; what cannot be read is passed by.
    """
    ahead = [top]
    while ahead:
        folder = ahead.pop()
        try:
            with os.scandir(folder) as found:
                entries = sorted(found, key=lambda entry: entry.name)
        except OSError:
            continue
        yield folder, [entry.name for entry in entries if not entry.is_dir()]
        ahead += [entry.path for entry in reversed(entries) if entry.is_dir(follow_symlinks=False)]
