"""Whether the evidence that a file went with is enough to delete it for good, where nothing has its content."""

import os
from dataclasses import dataclass, field

from foldkeep.model import RunFile, visible
from foldkeep.model.grades import Grade
from foldkeep.model.recipes import CACHE_TAG, Cookbook, Recipe
from foldkeep.storage.local.reading import NotSafe

_ALIKE = {
    Grade.ALIKE: "is only alike its keeper",
    Grade.DECODED: "decodes to the same, but has other bytes, as its keeper",
}


@dataclass(frozen=True, slots=True)
class Consent:
    """Consent of the user to release files that nothing has the content of.

    Attributes
    ----------
    likely
        Those that are likely made again may go.
    alike
        Files that are only alike their keepers may go.
    recipes
        The recipes of today; the files of those that are trusted may go.
    """

    likely: bool = False
    alike: bool = False
    recipes: Cookbook = field(default_factory=lambda: Cookbook(()))

    def check(self, file: RunFile) -> None:
        """Raise NotSafe unless it is proved that a file can be made again, or the user vouches for it.

        Of one that an earlier Fold Keep folded, only a tag's word is proof.
        """
        grade = file.source.grade if file.source else None
        if grade in _ALIKE:
            if self.alike:
                return
            raise NotSafe(f"it {_ALIKE[grade]} {visible(file.keeper)}; look at both, then say --allow-alike")
        if grade is Grade.PROVED or (grade is Grade.LIKELY and self.likely):
            return
        if grade is None and os.path.basename(file.keeper) == CACHE_TAG:
            return
        known = file.source.recipe if file.source else ""
        recipe = next((each for each in self.recipes.recipes if each.name == known), None) if known else None
        recipe = recipe or self._recipe_of(file)
        if recipe is not None and recipe.trust:
            return
        if grade is Grade.LIKELY:
            raise NotSafe("it is only likely that it can be made again; look at it, then say --likely")
        if recipe is None:
            raise NotSafe("nothing proves that it can be made again; unfold it to keep it")
        name = visible(recipe.name)
        raise NotSafe(f"nothing but your word says that it can be made again; say it here too: --trust '{name}'")

    def _recipe_of(self, file: RunFile) -> Recipe | None:
        folder, _, name = os.path.relpath(file.path, file.place).rpartition(b"/")
        below = os.fsdecode(folder)
        return self.recipes.of(f"{below}/" if below else "").takes(name)
