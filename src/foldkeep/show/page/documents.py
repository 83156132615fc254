"""What the JSON documents of the commands are made of."""

from typing import TYPE_CHECKING

from foldkeep.model import Problem, StockFile, visible
from foldkeep.model.names import file_uri
from foldkeep.model.units import format_moment

if TYPE_CHECKING:
    from foldkeep.fold import Space

Document = dict[str, object]


def path_document(path: bytes) -> Document:
    """Return a path for eyes and for programs."""
    return {"path": visible(path), "uri": file_uri(path)}


def file_document(file: StockFile) -> Document:
    """Return a file of the stock."""
    return {
        **path_document(file.path),
        "size": file.size,
        "modified": format_moment(file.modified_ns),
        "place": file.place.label,
    }


def problem_documents(problems: list[Problem]) -> list[Document]:
    """Return problems, or files left, with the reason of each."""
    return [{**path_document(problem.path), "reason": problem.reason} for problem in problems]


def space_document(space: "Space") -> Document:
    """Return the free space of a volume before and after something was done."""
    return {"volume_of": path_document(space.place), "free_before": space.before, "free_after": space.after}
