"""Bringing files on a server back to where they were."""

from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from itertools import count

from foldkeep.model import Method, PathBytes, Problem, Progress, RunFile, RunFileState, Step
from foldkeep.model.names import path_beside
from foldkeep.model.work import reason_of
from foldkeep.storage.local.reading import NotSafe
from foldkeep.storage.remote import make_folder

from ..bench import may_be_kin
from ..journal import Returned, Returning
from ..methods.method import restored
from .copying import take_away
from .moving import bring_home
from .site import AT_ONCE, each_of
from .vault import RemoteVault

_BATCH_FILES = 128
_MOST_TRIES = 100


def bring_back(
    vault: RemoteVault,
    files: list[RunFile],
    note: Callable[[list[RunFile]], None],
    having: Callable[[RunFile], list[PathBytes]],
    progress: Progress,
) -> tuple[list[tuple[PathBytes, PathBytes]], list[Problem]]:
    """Bring files of one place and run back, and tell `note` of each batch as it is then.

    Parameters
    ----------
    having
        Tells which files may have the content of a copy that is to be taken away again, and are surely others.

    Returns
    -------
    tuple
        Those whose name was taken, with the name that they have now; and what did not come back, or perhaps not.
    """
    renamed: list[tuple[PathBytes, PathBytes]] = []
    left: list[Problem] = []
    done = 0
    copies, files = ([file for file in files if (file.method is Method.COPY) is is_one] for is_one in (True, False))
    with ThreadPoolExecutor(AT_ONCE, thread_name_prefix="unfolding") as pool:
        note(_take_copies_away(vault, pool, copies, having, left))
        for at in range(0, len(files), _BATCH_FILES):
            back = _bring_batch(vault, pool, files[at : at + _BATCH_FILES], left)
            note([restored(file, path) for file, path in back])
            renamed += [(file.path, path) for file, path in back if file.path != path]
            done += len(back)
            progress(Step("Unfolding", done, len(files), "files"))
    return renamed, left


def _take_copies_away(
    vault: RemoteVault, pool: ThreadPoolExecutor, copies: list[RunFile], having: Callable[[RunFile], list[PathBytes]],
    left: list[Problem],
) -> list[RunFile]:  # fmt: skip
    vault.write(Returning(file.number, file.target) for file in copies)
    asked = []
    for file in copies:
        try:
            asked.append((file, having(file)))
        except NotSafe as error:
            left.append(Problem(file.path, str(error)))
    done = []
    for (file, _), outcome in each_of(pool, lambda pair: take_away(vault, *pair), asked):
        if isinstance(outcome, Exception):
            left.append(Problem(file.path, reason_of(outcome)))
        else:
            done.append(file._replace(state=RunFileState.RESTORED, reason=""))
    vault.write(Returned(file.number) for file in done)
    return done


def _bring_batch(
    vault: RemoteVault, pool: ThreadPoolExecutor, waiting: list[RunFile], left: list[Problem]
) -> list[tuple[RunFile, PathBytes]]:
    done: list[tuple[RunFile, PathBytes]] = []
    for number in count(1):
        tries = [(file, path_beside(file.path, number)) for file in waiting]
        if not tries or number > _MOST_TRIES:
            break
        for folder in {path.rpartition(b"/")[0] for _, path in tries}:
            try:
                make_folder(vault.storage, folder, vault.place)
            except OSError:
                continue  # each file says so itself
        vault.write(Returning(file.number, path) for file, path in tries)
        waiting = []

        def bring(pair: tuple[RunFile, PathBytes], is_beside: bool = number > 1) -> PathBytes:
            file, path = pair
            if is_beside and _makes_kin(vault, path):
                raise FileExistsError
            return bring_home(vault, file, path)

        for (file, _), outcome in each_of(pool, bring, tries):
            if isinstance(outcome, FileExistsError):
                waiting.append(file)
            elif isinstance(outcome, Exception):
                left.append(Problem(file.path, reason_of(outcome)))
            else:
                done.append((file, outcome))
    left += [Problem(file.path, "no name is free for it where it was") for file in waiting]
    vault.write(Returned(file.number) for file, _ in done)
    return done


def _makes_kin(vault: RemoteVault, path: PathBytes) -> bool:
    """Tell whether a file would become a companion of somebody else's beside its own name."""
    folder, _, name = path.rpartition(b"/")
    try:
        return may_be_kin(name, (file.name for file in vault.storage.files(folder)))
    except FileNotFoundError:
        return False
