"""What the JSON documents of the commands are made of."""

from foldkeep.find import Totals
from foldkeep.model import (
    CopySet,
    Problem,
    RunFile,
    RunFileState,
    RunSummary,
    StockFile,
    file_uri,
    format_digest,
    format_moment,
    visible,
)

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


def set_document(found: CopySet) -> Document:
    """Return a set with all its copies."""
    return {
        "id": found.id,
        "size": found.size,
        "kind": found.kind,
        "digest": format_digest(found.digest),
        "reclaimable": found.reclaimable,
        "copies": [file_document(copy) for copy in found.copies],
    }


def totals_document(totals: Totals) -> Document:
    """Return counts of sets and spares, and bytes."""
    return {"sets": totals.sets, "spares": totals.spares, "reclaimable": totals.reclaimable}


def run_document(summary: RunSummary) -> Document:
    """Return a run of the ledger with its files counted by state."""
    run = summary.run
    return {
        "run": run.id,
        "started": format_moment(run.started_ns),
        "method": run.method,
        "docket": visible(run.docket),
        "underway": run.underway,
        "files": {str(state): summary.files.get(state, 0) for state in RunFileState},
        "bytes": {str(state): summary.bytes.get(state, 0) for state in RunFileState},
    }


def run_file_document(file: RunFile) -> Document:
    """Return one file of a run."""
    return {
        **path_document(file.path),
        "size": file.size,
        "modified": format_moment(file.modified_ns),
        "state": str(file.state),
        "reason": file.reason,
        "keeper": path_document(file.keeper) if file.keeper else None,
    }
