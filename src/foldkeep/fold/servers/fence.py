"""What is written under a name so that no late request of ours can take it."""

from foldkeep.model import PathBytes
from foldkeep.model.remote import RemoteFile
from foldkeep.storage.remote import RemoteStorage, whole

FENCE = b"Nothing waits here: foldkeep took this name, so that no late request can.\n"
"""What is written under the name of a slot, if the answer to a move into it was lost."""


def is_fence(storage: RemoteStorage, path: PathBytes, facts: RemoteFile | None) -> bool:
    """Tell whether what lies at a path, of which the server told this, is a fence of ours."""
    return facts is not None and facts.size == len(FENCE) and not facts.is_folder and whole(storage, path) == FENCE
