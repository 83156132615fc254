"""Change the code in small ways, one at a time, and tell which changes no test notices.

    python scripts/mutants.py [--count 200] [--seed 1] [--jobs 2] [--budget 60] [--again] [ROOM ...]

A first run of the rooms' own tests, with coverage, tells which tests come by each line; it is kept in .mutants/ until
the code changes. Then each mutant is written into a copy of the code, and the tests that come by its line are run, the
quickest first, until one fails. Survivors are listed with what was changed; --again runs only those of the last run.
"""

import argparse
import ast
import functools
import hashlib
import json
import os
import random
import shutil
import subprocess
import sys
import time
from collections.abc import Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import NamedTuple

HERE = Path(__file__).resolve().parents[1]
WORK = HERE / ".mutants"
PACKAGE = Path("src/foldkeep")
ROOMS = ("fold", "keep", "find", "scan", "model", "formats")
SECONDS = 150  # for the tests of one mutant: one that hangs is noticed, too
FLIPPED = {
    ast.Lt: ast.LtE, ast.LtE: ast.Lt, ast.Gt: ast.GtE, ast.GtE: ast.Gt, ast.Eq: ast.NotEq, ast.NotEq: ast.Eq,
    ast.In: ast.NotIn, ast.NotIn: ast.In, ast.Is: ast.IsNot, ast.IsNot: ast.Is,
}  # fmt: skip


class Mutant(NamedTuple):
    """One change: where it is, the text that is there, and the one that takes its place."""

    path: Path
    line: int
    start: int
    end: int
    old: str
    new: str

    @property
    def named(self) -> str:
        """What tells it from others, though lines were added above it."""
        return f"{self.path}: {' '.join(self.old.split())} -> {' '.join(self.new.split())}"

    def __str__(self) -> str:
        return f"{self.path}:{self.line}: {' '.join(self.old.split())} -> {' '.join(self.new.split()) or 'nothing'}"


def mutants_of(path: Path) -> Iterator[Mutant]:
    """Yield the changes that can be made in a file."""
    text = (HERE / path).read_text()
    offsets = [0]
    for line in text.encode().splitlines(keepends=True):
        offsets.append(offsets[-1] + len(line))
    raw = text.encode()

    def span(node: ast.expr | ast.stmt) -> tuple[int, int]:
        end = offsets[(node.end_lineno or 1) - 1] + (node.end_col_offset or 0)
        return offsets[node.lineno - 1] + node.col_offset, end

    def mutant(node: ast.expr | ast.stmt, new: str) -> Mutant:
        start, end = span(node)
        return Mutant(path, node.lineno, start, end, raw[start:end].decode(), new)

    for node in ast.walk(_without_annotations(ast.parse(text))):
        if isinstance(node, ast.Compare) and len(node.ops) == 1 and type(node.ops[0]) in FLIPPED:
            changed = ast.Compare(node.left, [FLIPPED[type(node.ops[0])]()], node.comparators)
            yield mutant(node, f"({ast.unparse(changed)})")
        elif isinstance(node, ast.BoolOp):
            other = ast.Or() if isinstance(node.op, ast.And) else ast.And()
            yield mutant(node, f"({ast.unparse(ast.BoolOp(other, node.values))})")
        elif isinstance(node, ast.UnaryOp) and isinstance(node.op, ast.Not):
            yield mutant(node, f"({ast.unparse(node.operand)})")
        elif isinstance(node, ast.Constant) and type(node.value) is int:
            yield mutant(node, str(node.value + 1))
        elif isinstance(node, ast.Constant) and type(node.value) is bool:
            yield mutant(node, str(not node.value))
        elif isinstance(node, ast.Expr) and isinstance(node.value, ast.Call):
            yield mutant(node, "pass")
        elif isinstance(node, ast.BinOp) and isinstance(node.op, ast.Add | ast.Sub):
            other = ast.Sub() if isinstance(node.op, ast.Add) else ast.Add()
            if not any(isinstance(each, ast.Constant | ast.JoinedStr) and not _is_number(each)
                       for each in (node.left, node.right)):  # fmt: skip
                yield mutant(node, f"({ast.unparse(ast.BinOp(node.left, other, node.right))})")


def _is_number(node: ast.expr) -> bool:
    return isinstance(node, ast.Constant) and isinstance(node.value, int | float)


def _without_annotations(tree: ast.Module) -> ast.Module:
    """Return a tree without what is not run, or says nothing: annotations, imports for types, `__all__`."""

    class Quiet(ast.NodeTransformer):
        def visit_arg(self, node: ast.arg) -> ast.arg:
            node.annotation = None
            return node

        def visit_FunctionDef(self, node: ast.FunctionDef) -> ast.AST:
            node.returns = None
            return self.generic_visit(node)

        def visit_AnnAssign(self, node: ast.AnnAssign) -> ast.AST:
            node.annotation = ast.Name("annotation", lineno=node.lineno, col_offset=node.col_offset)
            return self.generic_visit(node)

        def visit_If(self, node: ast.If) -> ast.AST | None:
            return None if ast.unparse(node.test) == "TYPE_CHECKING" else self.generic_visit(node)

    return Quiet().visit(tree)


def covered(rooms: Sequence[str]) -> tuple[dict[str, dict[int, list[str]]], dict[str, float]]:
    """Return the tests that come by each line, by file, and how long each takes; asked of the tests themselves once."""
    import coverage

    state = hashlib.sha256(" ".join(rooms).encode())
    for path in sorted([*(HERE / "src").rglob("*.py"), *(HERE / "tests").rglob("*.py")]):
        state.update(path.read_bytes())
    kept = WORK / "covered.json"
    if kept.exists() and (found := json.loads(kept.read_text()))["state"] == state.hexdigest():
        lines = {path: {int(line): tests for line, tests in at.items()} for path, at in found["lines"].items()}
        return lines, found["seconds"]
    print("running the tests once, to see which come by each line", flush=True)
    WORK.mkdir(exist_ok=True)
    report = WORK / "report.xml"
    line = [sys.executable, "-m", "pytest", *(f"tests/{room}" for room in rooms), "-n", "2", "--dist", "worksteal",
            "-p", "no:cacheprovider", "-m", "not long and not more", "--cov=foldkeep", "--cov-context=test",
            "--cov-report=", f"--junit-xml={report}", "-o", "junit_family=xunit1"]  # fmt: skip
    variables = {**os.environ, "COVERAGE_FILE": str(WORK / "coverage")}
    subprocess.run(line, cwd=HERE, env=variables, check=False)
    data = coverage.CoverageData(basename=str(WORK / "coverage"))
    data.read()
    lines = {}
    for path in data.measured_files():
        at = {
            line: sorted({context.partition("|")[0] for context in contexts if context})
            for line, contexts in data.contexts_by_lineno(path).items()
        }
        lines[str(Path(path).relative_to(HERE))] = at
    seconds = _seconds(report)
    kept.write_text(json.dumps({"state": state.hexdigest(), "lines": lines, "seconds": seconds}))
    return lines, seconds


def _seconds(report: Path) -> dict[str, float]:
    from defusedxml.ElementTree import parse

    return {
        f"{case.get('file')}::{case.get('name')}": float(case.get("time", 0)) for case in parse(report).iter("testcase")
    }


def tests_for(
    mutant: Mutant, lines: dict[str, dict[int, list[str]]], seconds: dict[str, float], budget: float
) -> list[str]:
    """Return the tests that come by the lines of a mutant, the quickest first, as many as take so many seconds."""
    tests = sorted({test for path, line in lines_of(mutant) for test in lines.get(str(path), {}).get(line, ())})
    found = []
    for test in sorted(tests, key=lambda test: (seconds.get(test, 1.0), test)):
        budget -= seconds.get(test, 1.0)
        if found and budget < 0:
            break
        found.append(test)
    return found


def lines_of(mutant: Mutant) -> set[tuple[Path, int]]:
    """Return the lines that a mutant changes: its own, or those that use what is made there when a module is imported.

    A default is used by its function, a module's constant where its name is read, a class's attribute in its class.
    """
    tree = ast.parse((HERE / mutant.path).read_bytes())
    holder = next((each for each in tree.body if each.lineno <= mutant.line <= (each.end_lineno or 0)), None)
    for node in ast.walk(tree):
        if isinstance(node, ast.FunctionDef) and node.lineno <= mutant.line < node.body[0].lineno:
            return {(mutant.path, line) for line in range(node.lineno, (node.end_lineno or node.lineno) + 1)}
        if isinstance(node, ast.FunctionDef) and node.lineno <= mutant.line <= (node.end_lineno or 0):
            return {(mutant.path, mutant.line)}
    if isinstance(holder, ast.Assign | ast.AnnAssign):
        targets = holder.targets if isinstance(holder, ast.Assign) else [holder.target]
        names = {each.id for target in targets for each in ast.walk(target) if isinstance(each, ast.Name)}
    else:
        names = {holder.name} if isinstance(holder, ast.ClassDef) else set()
    return {(mutant.path, mutant.line)} | {found for name in names for found in _uses(name)}


@functools.cache
def _uses(name: str) -> frozenset[tuple[Path, int]]:
    """Return the lines of the code where a name is read."""
    return frozenset(
        (path.relative_to(HERE), node.lineno)
        for path in (HERE / PACKAGE).rglob("*.py")
        if name in (text := path.read_text())
        for node in ast.walk(ast.parse(text))
        if (isinstance(node, ast.Name) and node.id == name and isinstance(node.ctx, ast.Load))
        or (isinstance(node, ast.Attribute) and node.attr == name)
    )


def verdict_on(mutant: Mutant, tests: list[str], copy: Path) -> str:
    """Run tests with a mutant in a copy of the code; return whether it was caught, survived, or made them hang."""
    target = copy / mutant.path
    raw = (HERE / mutant.path).read_bytes()
    target.write_bytes(raw[: mutant.start] + mutant.new.encode() + raw[mutant.end :])
    line = [sys.executable, "-m", "pytest", "-x", "-q", "-p", "no:cacheprovider", "-m", "not long and not more", *tests]
    variables = {**os.environ, "PYTHONPATH": str(copy / "src"), "PYTHONDONTWRITEBYTECODE": "1"}
    try:
        ended = subprocess.run(line, cwd=copy, env=variables, capture_output=True, timeout=SECONDS, check=False)
        return "caught" if ended.returncode else "survived"
    except subprocess.TimeoutExpired:
        return "hung"
    finally:
        target.write_bytes(raw)


def main() -> int:
    """Draw mutants, run them, and print what survived."""
    parser = argparse.ArgumentParser(description=__doc__.partition("\n")[0])
    parser.add_argument("rooms", nargs="*", default=ROOMS, metavar="ROOM")
    parser.add_argument("--count", type=int, default=200)
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--jobs", type=int, default=2)
    parser.add_argument("--budget", type=float, default=60, help="seconds of tests a mutant")
    parser.add_argument("--again", action="store_true", help="only what survived the last run")
    args = parser.parse_args()
    lines, seconds = covered(args.rooms)
    files = [path.relative_to(HERE) for room in args.rooms for path in sorted((HERE / PACKAGE / room).rglob("*.py"))]
    every = [mutant for path in files for mutant in mutants_of(path)]
    drawn = random.Random(args.seed).sample(every, min(args.count, len(every)))
    last = WORK / "survivors.txt"
    if args.again:
        named = set(last.read_text().splitlines())
        drawn = [mutant for mutant in every if mutant.named in named]
    print(f"{len(every):,} changes could be made in {', '.join(args.rooms)}; {len(drawn)} are drawn (seed {args.seed})")
    copies = []
    for number in range(args.jobs):
        copy = WORK / f"copy-{number}"
        shutil.rmtree(copy, ignore_errors=True)
        for name in ("src", "tests", "docs", "scripts"):
            shutil.copytree(HERE / name, copy / name, ignore=shutil.ignore_patterns("__pycache__", "*.egg-info"))
        for name in ("pyproject.toml", "README.md", "Makefile", "CONTRIBUTING.md", "CHANGELOG.md", "setup.py"):
            shutil.copy(HERE / name, copy / name)
        copies.append(copy)

    def judged(mutant: Mutant) -> tuple[Mutant, str]:
        tests = tests_for(mutant, lines, seconds, args.budget)
        if not tests:
            return mutant, "no test comes by"
        copy = copies.pop()
        begun = time.monotonic()
        try:
            verdict = verdict_on(mutant, tests, copy)
        finally:
            copies.append(copy)
        print(f"{verdict:9} {time.monotonic() - begun:5.0f} s, {len(tests):2} tests  {mutant}", flush=True)
        return mutant, verdict

    with ThreadPoolExecutor(args.jobs) as pool:
        verdicts = list(pool.map(judged, drawn))
    print()
    for room in args.rooms:
        here = [verdict for mutant, verdict in verdicts if mutant.path.is_relative_to(PACKAGE / room)]
        print(
            f"{room:8} {here.count('caught') + here.count('hung'):4} of {len(here)} noticed, {here.count('hung')} hung"
        )
    survivors = [(mutant, verdict) for mutant, verdict in verdicts if verdict not in ("caught", "hung")]
    last.write_text("".join(f"{mutant.named}\n" for mutant, _ in survivors))
    for mutant, verdict in survivors:
        print(f"{verdict}: {mutant}")
    return 0


if __name__ == "__main__":
    sys.exit(main())
