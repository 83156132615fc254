"""What became of files of a run on a server, told from what lies there now."""

from collections.abc import Iterable
from contextlib import suppress

from foldkeep.model import Method, PathBytes, RunFile, RunFileState
from foldkeep.model.remote import RemoteFile
from foldkeep.storage.remote import RemoteStorage, read_remote

from ..journal import Going, History, Releasing, Returning, histories
from ..methods.method import NOT_BEGUN, folded_state
from ..removing.own import discard_afar
from ..vault import COMING_IN
from .fence import is_fence
from .looking import read_whole
from .vault import RemoteVault

_UNREACHABLE = "its server cannot be asked now; what became of it is found out when it can"


class RemoteScene:
    """The spots of one file on a server: at home, in its slot or at its target, or gone."""

    def __init__(self, vault: RemoteVault, file: RunFile, history: History) -> None:
        self.storage: RemoteStorage = vault.storage
        self.first, self.last, self.pending = history.first, history.last, history.pending
        self.began = file.state is not RunFileState.PLANNED
        self.file = history.first.applied_to(file) if history.first else file
        # One that was to go to this machine was refused.
        there = vault.whereabouts(self.file)
        self.there = there if there == self.file.target else b""
        self.is_unknown = False
        self.home_path = history.last.path if isinstance(history.last, Returning) else self.file.path
        self.slot_path = vault.slot(self.file)
        self._facts: dict[PathBytes, RemoteFile | None] = {}

    @property
    def is_going(self) -> bool:
        """Whether it was last about to go, and that was not marked as done."""
        return isinstance(self.last, Going) and self.pending

    @property
    def is_releasing(self) -> bool:
        """Whether it was last about to be deleted for good."""
        return isinstance(self.last, Releasing)

    def facts(self, path: PathBytes) -> RemoteFile | None:
        """Return what lies at a path, but for a fence of ours; looked at once."""
        if path not in self._facts:
            found = self.storage.facts(path)
            is_ours = path != self.home_path and is_fence(self.storage, path, found)
            self._facts[path] = None if is_ours else found
        return self._facts[path]

    def slot(self) -> RemoteFile | None:
        """Return what waits in its slot."""
        return self.facts(self.slot_path)

    def target(self) -> RemoteFile | None:
        """Return what lies where it was moved to."""
        return self.facts(self.there) if self.there else None

    def rest(self) -> None:
        """Return nothing: no rests are kept on servers."""

    def is_home(self) -> bool:
        """Tell whether what lies at home is the file: by size and time, or, where the time is another, by content."""
        found = self.facts(self.home_path)
        if found is None or found.is_folder or found.size != self.file.size:
            return False
        return found.modified_ns == self.file.modified_ns or self.has_content(self.home_path)

    def has_content(self, path: PathBytes) -> bool:
        """Tell whether what lies at a path has the content of the file, read now."""
        digest = self.file.content
        return bool(digest) and read_remote(path, storage=self.storage)[0] == digest

    def finish(self) -> None:
        """Take the twin away where a server that copies and deletes was stopped in between, read on both sides now."""
        there = self.slot_path if self.slot() else self.there if self.target() else b""
        home = self.facts(self.home_path)
        if not there or home is None or home.is_folder or not self.pending:
            return
        if not self.has_content(self.home_path) or not self.has_content(there):
            return
        discard_afar(self.storage, there, (self._facts[there] or RemoteFile(b"")).etag)
        self._facts[there] = None

    def finish_copy(self) -> None:
        """Take away what was written under a name of our own, if the original has its content, read now on both sides.

        Else it may be the last, and stays.
        """
        folder, _, slot = self.slot_path.rpartition(b"/")
        path = folder + b"/" + COMING_IN + slot
        found = self.storage.facts(path)
        if found is None:
            return
        is_begun = self.last is not None and not self.file.digest
        if is_begun or read_whole(self.file.keeper)[0] == read_remote(path, storage=self.storage)[0]:
            discard_afar(self.storage, path, found.etag)


def _copied_state(scene: RemoteScene) -> RunFile:
    """Return a copy that the run made: it is there until it is unfolded, or somebody takes it away."""
    found = scene.target()
    if scene.began:
        is_back = isinstance(scene.last, Returning) and found is None
        return scene.file._replace(state=RunFileState.RESTORED if is_back else RunFileState.MADE)
    if found is not None and scene.file.digest and scene.has_content(scene.there):
        return scene.file._replace(state=RunFileState.MADE)
    return scene.file._replace(state=RunFileState.LEFT, reason=scene.file.reason or NOT_BEGUN)


def settled_on_server(vault: RemoteVault, files: Iterable[RunFile], unknown: set[int]) -> list[RunFile]:
    """Return files of a run as the server shows them, after tidying what was left half done.

    Parameters
    ----------
    unknown
        Numbers of files of which it cannot be told now what became of them; added to.
    """
    known = histories(vault.records())
    return [_settled(RemoteScene(vault, file, known.get(file.number, History())), unknown) for file in files]


def _settled(scene: RemoteScene, unknown: set[int]) -> RunFile:
    try:
        with suppress(FileNotFoundError):
            (scene.finish_copy if scene.file.method is Method.COPY else scene.finish)()
        if scene.file.method is Method.COPY:
            return _copied_state(scene)
        if scene.there:
            return _moved_state(scene)
        return folded_state(scene)
    except OSError:
        unknown.add(scene.file.number)
        is_planned = scene.file.state is RunFileState.PLANNED
        return scene.file._replace(reason=_UNREACHABLE) if is_planned else scene.file


def _moved_state(scene: RemoteScene) -> RunFile:
    """Return the state of a file that was moved beside its keeper, or never went, or came back."""
    found = scene.target()
    is_there = found is not None and found.size == scene.file.size
    if is_there and (scene.began or scene.first is not None) and not scene.slot() and not scene.is_home():
        return scene.file._replace(state=RunFileState.MOVED)
    return folded_state(scene)


def unreachable(files: Iterable[RunFile]) -> list[RunFile]:
    """Return files of which nothing can be told while their server cannot be asked."""
    return [
        file._replace(reason=_UNREACHABLE) if file.state is RunFileState.PLANNED else file for file in files
    ]  # fmt: skip
