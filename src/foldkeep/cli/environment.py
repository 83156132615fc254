"""What a command line runs in: streams, terminal and variables, handed in so that tests can hand in theirs.

Nothing heavy is imported here; ``foldkeep --help`` must not pay for it.
"""

import os
import sys
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from contextlib import contextmanager
from enum import IntEnum
from typing import TYPE_CHECKING, TextIO

if TYPE_CHECKING:
    from argparse import Namespace

    from foldkeep.formats.own import SettingsFile
    from foldkeep.model import Problem
    from foldkeep.show.answers import Answer
    from foldkeep.show.page import Document, Page, ProgressBar
    from foldkeep.stock import Stock
    from foldkeep.storage.remote import Login


class ExitStatus(IntEnum):
    """Exit statuses of a command."""

    DONE = 0
    PROBLEMS = 1
    UNUSABLE = 2
    STOPPED = 3
    INTERRUPTED = 130


class Environment:
    """Streams and variables of one command line.

    Parameters
    ----------
    stdin, stdout, stderr
        Text streams; those of the process when None.
    variables
        As in ``os.environ``; that itself when None.
    """

    def __init__(
        self,
        stdin: TextIO | None = None,
        stdout: TextIO | None = None,
        stderr: TextIO | None = None,
        variables: Mapping[str, str] | None = None,
    ) -> None:
        self.stdin = sys.stdin if stdin is None else stdin
        self.stdout = sys.stdout if stdout is None else stdout
        self.stderr = sys.stderr if stderr is None else stderr
        self.variables = os.environ if variables is None else variables
        self.names_next = True

    def stock_path(self, args: "Namespace") -> str:
        """Return where the stock lies: ``--stock``, ``FOLDKEEP_STOCK``, or the user's data folder."""
        named: str | None = args.stock
        return named or self._usual_stock()

    def _usual_stock(self) -> str:
        """Return where the stock lies if the command line names none."""
        return self.variables.get("FOLDKEEP_STOCK") or os.path.join(self._own_folder("data"), "stock.sqlite3")

    def settings(self, args: "Namespace") -> "SettingsFile":
        """Return the settings in force: of ``--config``, or of the user's configuration folder."""
        from foldkeep.formats.own import read_settings

        return read_settings(self.settings_path(args), needed=bool(args.config))

    def settings_path(self, args: "Namespace") -> str:
        """Return where the settings lie: ``--config``, or the user's configuration folder."""
        if args.config:
            return str(args.config)
        return os.path.join(self._own_folder("config"), "settings.toml")

    def _own_folder(self, what: str) -> str:
        """Return our own folder among what the user's programs keep: ``data`` or ``config``."""
        default = {"data": "~/.local/share", "config": "~/.config"}[what]
        folder = self.variables.get(f"XDG_{what.upper()}_HOME", "")
        if sys.platform == "darwin" and not folder:
            import platformdirs  # which takes as long to import as we may take to start

            ours = platformdirs.user_data_dir if what == "data" else platformdirs.user_config_dir
            return ours("foldkeep")
        return os.path.join(folder or os.path.expanduser(default), "foldkeep")

    def thumbnails(self) -> bytes:
        """Return the folder where the user's desktop keeps thumbnails (freedesktop.org, XDG base directories)."""
        folder = self.variables.get("XDG_CACHE_HOME") or os.path.expanduser("~/.cache")
        return os.fsencode(os.path.join(folder, "thumbnails"))

    def downloads(self) -> str:
        """Return the folder in which browsers save (xdg-user-dirs), or the usual one."""
        home = self.variables.get("HOME") or os.path.expanduser("~")
        config = self.variables.get("XDG_CONFIG_HOME") or os.path.join(home, ".config")
        try:
            with open(os.path.join(config, "user-dirs.dirs"), encoding="utf-8", errors="replace") as stream:
                found = [line.partition("=")[2].strip() for line in stream if line.startswith("XDG_DOWNLOAD_DIR=")]
        except OSError:
            found = []
        named = found[-1].strip('"').replace("$HOME", home) if found else ""
        return named or os.path.join(home, "Downloads")

    def data_home(self) -> bytes:
        """Return the folder in which the desktop has the user's bin (freedesktop.org, XDG base directories)."""
        folder = self.variables.get("XDG_DATA_HOME") or os.path.expanduser("~/.local/share")
        return os.path.realpath(os.fsencode(folder))

    def user_cache(self) -> bytes:
        """Return the folder where the user's programs keep what they can make again (XDG base directories)."""
        return os.path.realpath(os.path.dirname(self.thumbnails()))

    def with_user_cache(self, answer: "Answer", stock: "Stock") -> "Answer":
        """Return an answer that also tells what lies in the user's cache folder."""
        from foldkeep.find.space import look_into_user_cache
        from foldkeep.show.answers.user_cache import WithUserCache

        return WithUserCache(answer, look_into_user_cache(stock, self.user_cache()))

    def page(self, args: "Namespace", stream: TextIO | None = None) -> "Page":
        """Return the page that answers are written on: standard output, or another stream."""
        from foldkeep.show.page import Page

        chosen = self.stdout if stream is None else stream
        columns = self.variables.get("COLUMNS", "")
        width = int(columns) if columns.isdecimal() else None
        return Page(
            chosen,
            terminal=chosen.isatty(),
            color=self._colors(args, chosen),
            width=width,
            styled=not self._is_dumb,
            home=self.variables.get("HOME", ""),
            stock=" ".join(map(self._pasted, self._stock_words(args))),
        )

    def width(self, descriptor: int) -> int:
        """Return the columns that COLUMNS says, or those of the terminal behind a descriptor; 80 if nobody knows."""
        columns = self.variables.get("COLUMNS", "")
        try:
            return int(columns) if columns.isdecimal() else os.get_terminal_size(descriptor).columns
        except OSError:
            return 80

    def progress(self, args: "Namespace") -> "ProgressBar":
        """Return what draws progress on standard error; silent with ``--quiet`` or ``--no-progress``."""
        from foldkeep.show.page import ProgressBar

        color = self._colors(args, self.stderr)
        drawn = self.stderr.isatty() and not self._is_dumb
        silent = args.quiet or args.no_progress
        return ProgressBar(self.stderr, terminal=drawn, color=color, silent=silent)

    @property
    def _is_dumb(self) -> bool:
        """Whether the terminal says that it understands nothing but text."""
        return self.variables.get("TERM", "") == "dumb"

    def _colors(self, args: "Namespace", stream: TextIO) -> bool:
        """Tell whether a stream takes colours, and the user wants them."""
        wanted = not args.no_color and not self.variables.get("NO_COLOR")
        return stream.isatty() and wanted and not self._is_dumb

    def follow_drives(self, stock: "Stock", named: Iterable[str] = ()) -> None:
        """Have places follow drives that are mounted elsewhere than they were, and say so, a line each.

        Of folders that are `named` is said elsewhere what they may be.
        """
        from foldkeep.model import visible
        from foldkeep.scan import TwinPlace, follow_drives
        from foldkeep.storage.local.drives import real_path

        followed = follow_drives(stock)
        for was, now in followed.moved:
            self.stderr.write(f"The drive of {visible(was)} is at {visible(now)} now; all that is known of it holds.\n")
        asked = {real_path(os.fsencode(each)) for each in named}
        for place, path in followed.doubtful:
            if path in asked:
                continue
            self.stderr.write(f"{TwinPlace(path, place)}\n")

    def tell_half_scanned(self, args: "Namespace", stock: "Stock") -> None:
        """Note which places were never scanned to the end, a line each."""
        from foldkeep.model import visible

        if args.quiet or getattr(args, "inventory", None):
            return
        for place in stock.places.all():
            if not place.scanned_ns:
                what = f"The first scan of {visible(place.path)} did not end, so this answer lacks some of it"
                self.stderr.write(f"{what}; go on: {self.line(args, 'scan', os.fsdecode(place.path))}\n")

    @contextmanager
    def servers(
        self, stock: "Stock | None", named: Iterable[str] = (), *, rate: int | None = None, unencrypted: bool = False
    ) -> Iterator[None]:
        """Have servers reached in the block, with logins from where they are kept, or asked for at the terminal.

        Those that are `named` may be asked `unencrypted`, as those of places that were scanned so.
        """
        from foldkeep.model.remote import is_address, remote_path, server_of
        from foldkeep.storage.remote import Connections, Credentials, connections

        places = stock.places.all() if stock else []
        open_ = {server_of(place.path) for place in places if "unencrypted" in place.asked}
        if unencrypted:
            open_ |= {server_of(remote_path(each)) for each in named if is_address(each)}
        with connections(Connections(Credentials(self.ask_login), rate=rate, unencrypted=frozenset(open_))):
            yield

    def ask_login(self, server: str, user: str) -> "Login | None":
        """Ask at the terminal for the name and password for a server; None if nobody is there."""
        from getpass import getpass

        from foldkeep.storage.remote import Login

        if not self.stdin.isatty():
            return None
        self.stdout.flush()
        self.stderr.write(f"{server} wants a name and password.\n")
        if not user:
            self.stderr.write("Name: ")
            self.stderr.flush()
            user = self.stdin.readline().strip()
        try:
            password = getpass(f"Password of {user}: ", self.stderr) if user else ""
        except EOFError:
            return None
        return Login(user, password) if password else None

    def agreed(self, question: str) -> bool:
        """Ask a question, and return whether somebody answered yes; nobody's answer is no."""
        return _is_yes(self._answer_to(question))

    def confirm(self, args: "Namespace", question: str, draw: "Callable[[Page], None]") -> bool:
        """Show what is about to be done, ask whether to go ahead, and return the answer; true with ``--yes``.

        Raises
        ------
        UnusableInput
            If nobody is there to answer.
        """
        if args.yes:
            return True
        # With --json, standard output is for the one document.
        draw(self.page(args, self.stderr if args.json else None))
        answer = self._answer_to(question)
        if not answer:
            from foldkeep.model import UnusableInput

            raise UnusableInput("nobody answered, so nothing was changed", "add --yes to go ahead without asking")
        if _is_yes(answer):
            return True
        self.stderr.write("Nothing was changed.\n")
        return False

    def _answer_to(self, question: str) -> str:
        """Ask, and return the line that is answered; empty if nobody does."""
        self.stdout.flush()
        self.stderr.write(f"{question} [y/N] ")
        self.stderr.flush()
        answer = self.stdin.readline()
        if not self.stdin.isatty() or not answer:
            self.stderr.write(answer.rstrip("\n") + "\n")
        return answer

    def choose(self, question: str, answers: Sequence[str]) -> str | None:
        """Ask at a terminal for one of some words and return it; None if nobody is there, or it is none of them."""
        if not self.stdin.isatty():
            return None
        self.stdout.flush()
        self.stderr.write(f"{question} [{'/'.join(answers)}] ")
        self.stderr.flush()
        answer = self.stdin.readline().strip().lower()
        return answer if answer in answers else None

    def top(self, args: "Namespace", on_terminal: int) -> int | None:
        """Return how many rows are to be listed, None for all: what ``--top`` says, else few on a terminal only."""
        if args.top is None:
            return on_terminal if self.stdout.isatty() and not args.json else None
        return max(0, int(args.top))

    def write_bytes(self, data: bytes) -> None:
        """Write bytes on standard output as they are; a stream that has text only gets them as such."""
        binary = getattr(self.stdout, "buffer", None)
        if binary is None:
            self.stdout.write(os.fsdecode(data))
        else:
            binary.write(data)

    def write_table(self, path: str, header: Sequence[str], rows: Iterable[Sequence[str]]) -> None:
        """Write a table to a new file; where the name was taken, say which one it got."""
        from foldkeep.formats.own import write_new_file

        written = write_new_file(path, header, rows)
        if written != path:
            self.stderr.write(f"{path} is taken, so the table is in {written}\n")

    def answer(self, args: "Namespace", answer: "Answer") -> None:
        """Write an answer on standard output: as a JSON document with ``--json``, else for people."""
        if args.json:
            self._write_json(answer.document())
        else:
            answer.write(self.page(args))

    def _write_json(self, document: "Document") -> None:
        """Write a document with each member, and each item of its lists, on a line of its own.

        The encoder of the standard library takes ten times as long where it is to indent.
        """
        import json

        opening = "{"
        for name, value in document.items():
            self.stdout.write(f"{opening}\n  {json.dumps(name)}: ")
            opening = ","
            if isinstance(value, (list, Iterator)):
                self._write_items(value)
            else:
                self.stdout.write(json.dumps(value))
        self.stdout.write("\n}\n")

    def _write_items(self, items: Iterable[object]) -> None:
        import json

        before = "["
        for item in items:
            self.stdout.write(f"{before}\n    {json.dumps(item)}")
            before = ","
        self.stdout.write("[]" if before == "[" else "\n  ]")

    def line(self, args: "Namespace", *words: str) -> str:
        """Return a command line that can be pasted: it uses the stock that this one was told to use."""
        return " ".join(map(self._pasted, ("foldkeep", *words, *self._stock_words(args))))

    def _stock_words(self, args: "Namespace") -> tuple[str, ...]:
        """Return the option that names the stock of a command line; nothing if it is the usual one."""
        return ("--stock", args.stock) if args.stock and args.stock != self._usual_stock() else ()

    def _pasted(self, word: str) -> str:
        """Return a word as it may be pasted into a shell, a path in the home folder from there on."""
        import shlex

        home = self.variables.get("HOME", "").rstrip("/")
        if len(home) > 1 and word.startswith(home + "/"):
            return f"~/{shlex.quote(word[len(home) + 1 :])}"
        return shlex.quote(word)

    def next(self, args: "Namespace", *words: str) -> None:
        """Write the one command that comes next, behind an answer for people."""
        if self.names_next and not (args.json or args.quiet):
            from foldkeep.model import visible

            self.page(args).line(("Next: ", "dim"), (visible(self.line(args, *words)), "cyan"))

    def tell_problems(self, args: "Namespace", problems: "list[Problem]") -> ExitStatus:
        """List problems on standard error, each on its line, and return the exit status that they ask for."""
        if not problems:
            return ExitStatus.DONE
        if not args.json:
            from foldkeep.show.page import write_problems

            self.stdout.flush()
            write_problems(self.page(args, self.stderr), problems)
        return ExitStatus.PROBLEMS


def _is_yes(answer: str) -> bool:
    return answer.strip().lower() in ("y", "yes")
