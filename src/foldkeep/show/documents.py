"""What the JSON documents of the commands are made of."""

from foldkeep.find.copies import FolderMatch, Overview, Totals
from foldkeep.fold import Space
from foldkeep.model import CopySet, Place, Problem, RunFile, RunFileState, RunSummary, StockFile, Volume, visible
from foldkeep.model.files import format_digest
from foldkeep.model.names import file_uri
from foldkeep.model.units import format_moment
from foldkeep.scan import Presence

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
        "digest": format_digest(found.digest) if found.digest else None,
        "proven": found.digest is not None,
        "reclaimable": found.reclaimable,
        "backed_up": list(found.backed_up),
        "copies": [
            {
                **file_document(copy),
                "owner": copy.owner,
                "links": copy.links,
                "content": copy.content,
                "shared": copy.extent is not None,
            }
            for copy in found.copies
        ],
    }


def overview_document(overview: Overview) -> Document:
    """Return sets counted in all, by kind and by place."""
    contents, size = overview.backed_up
    return {
        "totals": totals_document(overview.totals),
        "kinds": {kind: totals_document(totals) for kind, totals in overview.kinds.items()},
        "places": {place.label: {"copies": files, "bytes": bytes_} for place, files, bytes_ in overview.places},
        "backed_up": {"contents": contents, "bytes": size},
        "empty_files": overview.empty_files,
    }


def match_document(match: FolderMatch) -> Document:
    """Return folders that share contents."""
    return {
        "relation": str(match.relation),
        "folders": [
            {**path_document(folder.path), "files": folder.files, "bytes": folder.bytes} for folder in match.folders
        ],
        "shared_files": match.shared_files,
        "shared_bytes": match.shared_bytes,
        "share": round(match.share, 4),
    }


def place_document(place: Place, size: tuple[int, int], volume: Volume, presence: Presence) -> Document:
    """Return a place with what is known of it."""
    return {
        "label": place.label,
        **path_document(place.path),
        "role": str(place.role),
        "now": str(presence),
        "files": size[0],
        "bytes": size[1],
        "scanned": format_moment(place.scanned_ns) if place.scanned_ns else None,
        "also": sorted(place.asked),
        "mark": place.mark or None,
        "volume": {
            "key": volume.key,
            "name": volume.name,
            "capabilities": volume.capabilities.known() if volume.capabilities else None,
        },
    }


def totals_document(totals: Totals) -> Document:
    """Return counts of sets and spares, and bytes."""
    return {"sets": totals.sets, "spares": totals.spares, "reclaimable": totals.reclaimable}


def space_document(space: Space) -> Document:
    """Return the free space of a volume before and after something was done."""
    return {"volume_of": path_document(space.place), "free_before": space.before, "free_after": space.after}


def run_document(summary: RunSummary) -> Document:
    """Return a run of the ledger with its files counted by state."""
    run = summary.run
    return {
        "run": run.id,
        "started": format_moment(run.started_ns),
        "method": run.method,
        "docket": visible(run.docket),
        "underway": run.underway,
        "comes_back": run.method.comes_back,
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
        "method": str(file.method),
        "keeper": path_document(file.keeper) if file.keeper else None,
        "target": path_document(file.target) if file.target else None,
    }
