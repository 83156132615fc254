"""How far it is shown that a file whose content nothing else has may go all the same."""

from enum import StrEnum


class Grade(StrEnum):
    """Grades of the evidence for a derived file; and for one that is only alike its keeper."""

    PROVED = "proved"  # a cache tag, a manifest, or a source that was measured
    TRUSTED = "trusted"  # the user named the recipe that takes it
    LIKELY = "likely"  # an opaque file with a machine's name, in a cache's folder, that no document mentions
    PERHAPS = "perhaps"  # a name, or a folder's name, and nothing more
    ESSENCE = "essence"  # the keeper shows or sounds the same; what is written about it is kept when it is released
    DECODED = "decoded"  # as one that is alike, but it decodes to the same samples, pixels or packets
    ALIKE = "alike"  # it cannot be made again: a person has decided that the keeper does instead

    @property
    def may_go(self) -> bool:
        """Whether a docket may propose to fold such a file, and a package may lack it."""
        return self in (Grade.PROVED, Grade.TRUSTED)


NOT_MEASURED = "it was not compared with its source; --measure-films does that, frame by frame"
"""What is missing for a film to be proved a proxy of another that nobody asked to compare it with."""
