"""Colours of kinds, ages and folders in charts and maps, told apart by people who see red and green alike."""

from collections.abc import Iterable, Mapping
from itertools import cycle

from foldkeep.find.space import AGES, Node
from foldkeep.model import visible
from foldkeep.model.kinds import KINDS

# After Okabe and Ito (Color Universal Design).
KIND_COLORS = dict(
    zip(
        KINDS,
        ("#0072B2", "#E69F00", "#009E73", "#56B4E9", "#D55E00", "#CC79A7", "#F0E442", "#5B5B5B", "#BDBDBD"),
        strict=True,
    )
)
# From light to dark, as viridis (Smith and van der Walt) has them: they differ in lightness, so in grey as well.
AGE_COLORS = dict(zip(AGES, ("#FDE725", "#7AD151", "#22A884", "#2A788E", "#414487", "#440154"), strict=True))
# After the "muted" scheme of Tol (SRON/EPS/TN/09-002): none of them is one of a built-in kind.
_OWN_COLORS = ("#882255", "#DDCC77", "#332288", "#44AA99", "#999933", "#AA4499")
_FOLDER_COLORS = ("#0072B2", "#E69F00", "#009E73", "#D55E00", "#56B4E9", "#CC79A7", "#F0E442", "#882255")
OTHER_FOLDERS = "other folders"
_ONE_KIND = 0.98


def kind_colors(kinds: Iterable[str], chosen: Mapping[str, str]) -> dict[str, str]:
    """Return a colour for each kind, the user's own among them: the one they chose, or one that stands apart."""
    free = cycle(_OWN_COLORS)
    own = {kind: next(free) for kind in sorted(set(kinds) - KIND_COLORS.keys())}
    return KIND_COLORS | own | dict(chosen)


def folder_colors(tree: Node) -> dict[str, str] | None:
    """Return a colour for each folder at the top of a tree of one kind, where those of kinds say nothing, else None.

    The largest folders get one each; all others share grey.
    """
    if len(tree.folders) < 2 or max(tree.groups.values(), default=0) < _ONE_KIND * tree.bytes:
        return None
    largest = sorted(tree.folders, key=lambda folder: -folder.bytes)[: len(_FOLDER_COLORS)]
    return dict(zip((name_of(folder) for folder in largest), _FOLDER_COLORS, strict=False)) | {OTHER_FOLDERS: "#BDBDBD"}


def name_of(node: Node) -> str:
    """Return the last step of a folder's path, for eyes."""
    return visible(node.path.rpartition(b"/")[2] or node.path)
