"""Try all of this on a made-up library.

Makes the media library of an invented kite festival in DIR, or in a fresh
temporary folder, and walks through scan, duplicates, keep, fold and unfold on
it. On a terminal it waits after each act. Nothing else is touched; its stock lies
beside the library.
"""

import argparse
from typing import TYPE_CHECKING

from ..environment import Environment, ExitStatus
from ..options import Option, Takes

if TYPE_CHECKING:
    from foldkeep.demo import Tour

EXAMPLES = """\
examples:
  foldkeep demo
  foldkeep demo ~/kite-days
  foldkeep demo --cloud
"""


OPTIONS = (
    Option("folder", "a new or empty folder", Takes.FOLDER, "DIR", optional=True),
    Option("--library-only", "make the library and stop there"),
    Option("--cloud", "run a small cloud on this machine as well, and walk through what can be done with that"),
    Option(
        "--latency", "with --cloud: milliseconds before each of its answers", Takes.NUMBER, "MS", default=0, rare=True
    ),
    Option("--fail-every", "with --cloud: let one of so many requests fail", Takes.NUMBER, "N", default=0, rare=True),
    Option("--stay", "with --cloud: leave it running at the end, until Ctrl-C", rare=True),
)


def run(args: argparse.Namespace, env: Environment) -> ExitStatus:
    """Make the library and take the tour."""
    import io
    import os
    from contextlib import ExitStack
    from functools import partial

    from foldkeep.demo import STOCK, cloud_beside, prepare, take_cloud_tour, take_tour
    from foldkeep.model import UnusableInput, visible
    from foldkeep.model.extras import need
    from foldkeep.show.answers.demo import LibraryAnswer, write_step

    from ..main import main

    need("media")
    if args.cloud:
        need("cloud")
    elif args.latency or args.fail_every or args.stay:
        raise UnusableInput("--latency, --fail-every and --stay are about the cloud", "add --cloud, or leave them out")
    page = env.page(args)
    silent = args.json or args.quiet

    def begin() -> None:
        if not silent:
            env.stderr.write("Making the sample library (about 20 MB)…\n")
            env.stderr.flush()

    folder = os.path.abspath(prepare(args.folder, begin))
    if args.library_only:
        env.answer(args, LibraryAnswer(folder))
        return ExitStatus.DONE
    inner = Environment(
        io.StringIO(),  # nobody is asked anything
        io.StringIO() if silent else env.stdout,
        io.StringIO() if silent else env.stderr,
        {**env.variables, "FOLDKEEP_STOCK": STOCK},
    )

    acts = _Acts(env) if env.stdin.isatty() and env.stdout.isatty() and not silent else None

    def say(words: str, line: str) -> None:
        if acts is not None and line.startswith("foldkeep"):
            acts.pause()
        if not silent:
            write_step(page, words, line)

    plain = ["--no-color"] if args.no_color else []
    with ExitStack() as running:
        walk = take_tour
        if args.cloud:
            cloud = running.enter_context(cloud_beside(folder, max(0, args.latency) / 1000, max(0, args.fail_every)))
            walk = partial(take_cloud_tour, cloud=cloud)
        try:
            tour = walk(folder, run=lambda argv: main([*argv, *plain], inner), say=say)
        except _Left:
            page.line(f"The library stays in {visible(folder)}, with its stock; go on as you like there.")
            return ExitStatus.DONE
        _tell(args, env, folder, tour)
        if args.cloud and args.stay:
            _wait(env, cloud.url)
    return ExitStatus.DONE if tour.went_well else ExitStatus.PROBLEMS


class _Left(Exception):
    """The person has seen enough."""


class _Acts:
    """Waits between the acts of the tour until the person at the terminal goes on."""

    def __init__(self, env: Environment) -> None:
        self._env = env
        self._acts = 0
        self._waits = True

    def pause(self) -> None:
        """Wait before every act but the first; raise _Left if the person has seen enough."""
        self._acts += 1
        if self._acts == 1 or not self._waits:
            return
        self._env.stdout.write("\n[Enter: go on / all: without a pause / stop] ")
        self._env.stdout.flush()
        answer = self._env.stdin.readline()
        if not answer or answer.strip().lower() in ("stop", "s", "q", "quit"):
            raise _Left
        self._waits = not answer.strip().lower().startswith("a")


def _wait(env: Environment, url: str) -> None:
    """Leave the cloud running until somebody interrupts it."""
    import threading

    env.stderr.write(f"The cloud stays at {url}; Ctrl-C ends it.\n")
    threading.Event().wait()


def _tell(args: argparse.Namespace, env: Environment, folder: str, tour: "Tour") -> None:
    import os

    from foldkeep.demo import STOCK
    from foldkeep.show.answers.demo import TourAnswer

    env.answer(args, TourAnswer(folder, os.path.join(folder, STOCK), tour.statuses, tour.files, tour.unchanged))
