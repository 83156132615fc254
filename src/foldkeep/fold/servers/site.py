"""Folding the files of one place on a server: several at a time, since each answer is waited for."""

from collections.abc import Callable, Iterable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field, replace
from typing import TypeVar

from foldkeep.model import Method, PathBytes, Problem, Run, RunFile, RunFileState, UnusableInput, visible
from foldkeep.model.work import reason_of
from foldkeep.stock import Stock
from foldkeep.storage.local.reading import NotSafe, Stamps

from ..journal import Going, Went
from ..recovery.reconcile import write_down
from ..runs.plan import Item, Merged, Stage, batches
from .copying import Names, announced, put_there, write_copy
from .looking import RemoteReady, look_at
from .moving import fold_away
from .sides import Sides
from .vault import RemoteVault

AT_ONCE = 8
_BATCH_FILES, _BATCH_BYTES, _BATCH_FOLDERS = 128, 256 * 1024 * 1024, 10_000

_Given = TypeVar("_Given")
_Got = TypeVar("_Got")
Work = list[tuple[Item, RunFile]]


def each_of(
    pool: ThreadPoolExecutor, do: Callable[[_Given], _Got], given: Iterable[_Given]
) -> list[tuple[_Given, _Got | Exception]]:
    """Do something with several at a time; return each with what came of it: a result, or the refusal."""

    def done(one: _Given) -> _Got | Exception:
        try:
            return do(one)
        except (NotSafe, OSError, UnusableInput) as error:
            return error

    given = list(given)
    return list(zip(given, pool.map(done, given), strict=True))


@dataclass
class RemoteSite:
    """The work in one place on a server.

    Attributes
    ----------
    honours_conditions
        Whether the server was found to do so.
    passed
        Is told the size of each file that was looked at.
    """

    stock: Stock
    run: Run
    place: PathBytes
    files: Work
    went: set[PathBytes]
    passed: Callable[[int], None]
    honours_conditions: bool = False
    trusts_server: bool = False
    merged: list[Merged] = field(default_factory=list)
    notes: list[Problem] = field(default_factory=list)
    _left: set[PathBytes] = field(default_factory=set)
    _broken: bool = False

    def work(self, stage: Stage) -> None:
        """Work on the files whose turn it is, by batches."""
        work = [pair for pair in self.files if pair[0].stage is stage]
        if not work or self._broken:
            return
        try:
            vault = RemoteVault(self.place, self.run.key, create=True, method=self.run.method)
            vault.honours_conditions = self.honours_conditions
            with ThreadPoolExecutor(AT_ONCE, thread_name_prefix="folding") as pool:
                for at in batches([item for item, _ in work], _BATCH_FILES, _BATCH_BYTES, _BATCH_FOLDERS):
                    self._do_batch(vault, pool, [work[number] for number in at])
        except OSError as error:
            self._give_up(error)

    def put_away(self, stay: frozenset[PathBytes]) -> int:  # noqa: ARG002 - as places on disks do
        """Leave folders where they are, and return how many were put away: none."""
        return 0

    def note_times(self) -> None:
        """Note nothing: servers give no times back to folders."""

    def _give_up(self, error: OSError) -> None:
        self._broken = True
        why = f"its fold cannot be written: {reason_of(error)}"
        planned = self.stock.ledger.files(self.run.id, [RunFileState.PLANNED])
        with self.stock.transaction():
            self.stock.ledger.update(file._replace(reason=why) for file in planned if file.place == self.place)

    def _copy_batch(self, vault: RemoteVault, pool: ThreadPoolExecutor, batch: Work) -> None:
        """Copy files of this machine onto the server: announced, written, read back, announced again, and named."""
        names = Names(vault.storage)
        item_of = {file.number: item for item, file in batch}
        settled: list[RunFile] = []

        def those_done(outcomes: list[tuple[RunFile, RunFile | Exception]]) -> list[RunFile]:
            done = []
            for file, outcome in outcomes:
                if isinstance(outcome, Exception):
                    settled.append(self._leave(file, outcome))
                else:
                    done.append(outcome)
            return done

        meant: list[RunFile] = []
        for item, file in batch:
            try:
                if item.refusal:
                    raise NotSafe(item.refusal)
                meant.append(announced(item, file, names))
            except (NotSafe, OSError, UnusableInput) as error:
                settled.append(self._leave(file, error))
            self.passed(file.size)
        vault.write(Going(file, is_copied=True) for file in meant)
        ready = those_done(each_of(pool, lambda file: write_copy(vault, item_of[file.number], file), meant))
        vault.write(map(Going, ready))
        uncertain: list[RunFile] = []
        while ready:
            again = []
            for file, outcome in each_of(pool, lambda file: put_there(vault, file), ready):
                if isinstance(outcome, FileExistsError):
                    names.took(file.target)
                    target = names.free(file.target)
                    again.append(file._replace(target=target, path=target))
                elif isinstance(outcome, RunFile):
                    settled.append(outcome)
                else:
                    uncertain.append(self._leave(file, outcome)._replace(state=RunFileState.PLANNED))
            vault.write(map(Going, again))
            ready = again
        vault.write(Went(file.number, str(file.state)) for file in settled)
        write_down(self.stock, [*settled, *uncertain])

    def _do_batch(self, vault: RemoteVault, pool: ThreadPoolExecutor, batch: Work) -> None:
        if self.run.method is Method.COPY:
            self._copy_batch(vault, pool, batch)
            return
        settled: list[RunFile] = []
        uncertain: list[RunFile] = []
        ready = self._looked_at(vault, pool, batch, settled)
        vault.write(Going(each.file) for each in ready)
        stamps = Stamps()
        for each, outcome in each_of(pool, lambda one: fold_away(vault, one, stamps), ready):
            if isinstance(outcome, RunFile):
                settled.append(outcome)
            elif isinstance(outcome, NotSafe):
                settled.append(self._leave(each.file, outcome))
            else:  # how far it got is not guessed: it is looked up when the run is settled
                uncertain.append(self._leave(each.file, outcome)._replace(state=RunFileState.PLANNED))
        vault.write(Went(file.number, str(file.state)) for file in settled)
        write_down(self.stock, [*settled, *uncertain])
        self.went |= {file.path for file in settled if file.state is not RunFileState.LEFT}

    def _leave(self, file: RunFile, error: Exception) -> RunFile:
        self._left.add(file.path)
        return file._replace(state=RunFileState.LEFT, reason=reason_of(error))

    def _looked_at(
        self, vault: RemoteVault, pool: ThreadPoolExecutor, batch: Work, settled: list[RunFile]
    ) -> list[RemoteReady]:
        """Return what may go of a batch, what goes along with others last; what may not is left."""
        ready: list[RemoteReady] = []
        sides = Sides(self.stock)
        for goes_along in (False, True):
            asked = []
            for item, file in batch:
                if bool(item.master) is not goes_along:
                    continue
                try:
                    fits = self._checked(vault, item, sides)
                    state = RunFileState.MOVED if item.target else RunFileState.WAITING
                    asked.append((fits, file._replace(state=state, target=item.target)))
                except (NotSafe, OSError, UnusableInput) as error:
                    settled.append(self._leave(file, error))
            for (_, file), found in each_of(pool, self._look, asked):
                if isinstance(found, RemoteReady):
                    ready.append(found)
                else:
                    settled.append(self._leave(file, found))
                self.passed(file.size)
        return ready

    def _checked(self, vault: RemoteVault, item: Item, sides: Sides) -> Item:
        if item.refusal:
            raise NotSafe(item.refusal)
        if item.master in self._left:
            raise NotSafe(f"stays with {visible(item.master.rpartition(b'/')[2])}")
        return replace(item, keepers=sides.apart(self.place, vault.key, item.keepers))

    def _look(self, pair: tuple[Item, RunFile]) -> RemoteReady:
        return look_at(*pair, trusts_server=self.trusts_server)
