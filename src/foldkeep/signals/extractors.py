"""The extractors: what is measured of contents, by name, in which version, of which kinds, and what it gives.

What one finds is kept by digest, extractor and version; a higher version asks all again. A content of which it
cannot be measured is kept with the reason; a file that could not be read is asked again.
"""

from typing import NamedTuple

from foldkeep.model.kinds import KINDS, OTHER

MEDIA = frozenset({"photo", "video", "audio"})
"""The kinds of files that say something about themselves."""


class Extractor(NamedTuple):
    """One thing that is measured of contents.

    Attributes
    ----------
    name
        By which it is kept.
    version
        Of its way of measuring.
    kinds
        Of the files that it can be measured of.
    gives
        What comes of it, in words.
    """

    name: str
    version: int
    kinds: frozenset[str]
    gives: str


MEDIA_FACTS = Extractor("media facts", 4, MEDIA, "what a file says of itself: format, size, camera, length, words")
PICTURE = Extractor("picture", 2, MEDIA, "a small JPEG of a photo, of frames of a film, of a sound's wave")
DAMAGE = Extractor("damage", 2, frozenset(KINDS) - {OTHER}, "what is wrong with a content; nothing if it is whole")
PHOTO_PRINT = Extractor("photo print", 4, frozenset({"photo"}), "a print by which a picture is known again")
ESSENCE = Extractor("essence", 2, MEDIA, "the picture or sound itself, without what is written about it")
DECODED = Extractor("decoded", 1, MEDIA, "the samples, pixels or packets that a content decodes to")
SOUND_PRINT = Extractor("sound print", 1, frozenset({"audio", "video"}), "a print by which a recording is known again")
FILM_PRINT = Extractor("film print", 1, frozenset({"video"}), "prints of key frames, by which a film is known again")
