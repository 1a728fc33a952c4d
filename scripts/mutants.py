"""Break the code on purpose, one small change at a time, and say which changes no fast test notices.

Usage: python scripts/mutants.py [--base REV] [--sample N] [--seed S] [--jobs N] [--again LOG]
Files of core and store that have changed since REV (all of them without --base) are mutated in a copy of the tree.
All tests run once to see which lines each of them reaches; a mutant then meets only the tests that reach its line.
"""

from __future__ import annotations

import argparse
import ast
import random
import shutil
import subprocess
import sys
import tempfile
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from pathlib import Path
from queue import Queue
from xml.etree import ElementTree

from coverage import CoverageData

ROOT = Path(__file__).parent.parent
PLACES = ("src/fern_tide/core", "src/fern_tide/store")
FOLDERS = "core contract judges store golden workflows cli node interchange"  # all that need no page
TESTS = [f"tests/{name}" for name in FOLDERS.split()]
WHAT_IMPORTS = ["tests/core/base", "tests/core/mapping", "tests/core/test_limits.py", "tests/store", "tests/golden"]
"""Tests for lines that run while a module is imported, before any test: each of all tests would do."""
SECONDS = 600
MOST_TESTS = 400
FAILED, NOT_THERE = {1, 2, 3}, 4  # what pytest ends with: failed or could not be collected; no such test
MOST_LINES = 10
SWAPS: dict[type, type] = {
    ast.Add: ast.Sub, ast.Sub: ast.Add, ast.Mult: ast.Div, ast.Div: ast.Mult, ast.FloorDiv: ast.Mult,
    ast.Lt: ast.LtE, ast.LtE: ast.Lt, ast.Gt: ast.GtE, ast.GtE: ast.Gt, ast.Eq: ast.NotEq, ast.NotEq: ast.Eq,
    ast.And: ast.Or, ast.Or: ast.And, ast.In: ast.NotIn, ast.NotIn: ast.In,
}  # fmt: skip
CALLS = {"max": "min", "min": "max", "any": "all", "all": "any", "floor": "ceil", "ceil": "floor", "maximum": "minimum"}
CALLS |= {"minimum": "maximum"}


@dataclass(frozen=True)
class Mutant:
    """One small change: the lines of a file that it replaces, in words and as text."""

    file: str
    line: int
    source: str
    words: str
    text: str

    @property
    def name(self) -> str:
        """What it is called when it is printed; its line is known again by its text, wherever it moves in the file."""
        return f"{self.file}:{self.line}: {self.words} | {self.source}"

    @property
    def key(self) -> tuple[str, ...]:
        """What tells it apart from others, but for the number of its line."""
        return (Path(self.file).name, self.words, self.source)


def changed_files(base: str | None) -> list[Path]:
    """List the files to mutate."""
    if base is None:
        return [path for place in PLACES for path in sorted((ROOT / place).rglob("*.py"))]
    said = subprocess.run(["git", "diff", "--name-only", base, "--", *PLACES], cwd=ROOT, capture_output=True, text=True)
    names = [name for name in said.stdout.split() if name.endswith(".py")]
    return [ROOT / name for name in names if (ROOT / name).exists()]


def mutants_of(path: Path) -> Iterator[Mutant]:
    """Give every mutant of a file; docstrings, annotations and defaults of params models are left alone."""
    source = path.read_text()
    tree = ast.parse(source)
    inside = [
        node
        for top in ast.walk(tree)
        if isinstance(top, ast.FunctionDef)
        for part in top.body
        for node in ast.walk(part)
    ]
    for call in inside:
        if not isinstance(call, ast.Call):
            continue
        for keyword in call.keywords:
            if keyword.arg == "strict":
                keyword.value.asserts = True  # of zip: an assertion; without it nothing that is right changes
        if isinstance(call.func, ast.Attribute) and call.func.attr == "reshape":
            for part in (part for given in call.args for part in ast.walk(given) if isinstance(part, ast.UnaryOp)):
                part.operand.asserts = True  # of -1: any number below zero stands for as many as there are
    seen: set[int] = set()
    for node in inside:
        if id(node) in seen:
            continue
        seen.add(id(node))
        for words, undo in _changes(node):
            line = source.splitlines()[node.lineno - 1].strip()
            yield Mutant(str(path.relative_to(ROOT)), node.lineno, line, words, ast.unparse(tree))
            undo()


def _changes(node: ast.AST) -> Iterator[tuple[str, object]]:
    """Change a node in each way that there is for it; what is given puts it back."""
    if isinstance(node, (ast.BinOp, ast.BoolOp)) and type(node.op) in SWAPS:
        old = node.op
        node.op = SWAPS[type(old)]()
        yield f"{type(old).__name__} to {type(node.op).__name__}", lambda: setattr(node, "op", old)
    elif isinstance(node, ast.Compare) and type(node.ops[0]) in SWAPS:
        old_ops = node.ops
        node.ops = [SWAPS[type(old_ops[0])](), *old_ops[1:]]
        yield f"{type(old_ops[0]).__name__} to {type(node.ops[0]).__name__}", lambda: setattr(node, "ops", old_ops)
    elif hasattr(node, "asserts"):
        return
    elif isinstance(node, ast.Constant) and type(node.value) in (int, float) and node.value not in (0.0, 1e-9):
        value = node.value
        node.value = value + 1 if isinstance(value, int) else value * 1.5
        yield f"{value} to {node.value}", lambda: setattr(node, "value", value)
    elif isinstance(node, ast.Constant) and isinstance(node.value, bool):
        value = node.value
        node.value = not value
        yield f"{value} to {node.value}", lambda: setattr(node, "value", value)
    elif isinstance(node, ast.Call) and isinstance(node.func, (ast.Name, ast.Attribute)):
        name = "id" if isinstance(node.func, ast.Name) else "attr"
        called = getattr(node.func, name)
        if called in CALLS:
            setattr(node.func, name, CALLS[called])
            yield f"{called} to {CALLS[called]}", lambda: setattr(node.func, name, called)
    elif isinstance(node, ast.UnaryOp) and isinstance(node.op, ast.Not):
        operand = node.operand
        node.operand = ast.UnaryOp(ast.Not(), operand)
        yield "not taken away", lambda: setattr(node, "operand", operand)


class Reach:
    """Which tests run which lines, and how long each takes, learned from one run of all of them."""

    def __init__(self, copy: Path, *, jobs: int) -> None:
        report, told = copy / "reach.xml", [f"--cov={place}" for place in PLACES]
        told += ["--cov-context=test", "--cov-report=", f"--junitxml={report}", "-o", "junit_family=xunit1"]
        ended = _pytest(copy, [*told, "-n", str(jobs), "--dist", "loadfile", *TESTS], seconds=3600)
        if ended.returncode != 0:
            sys.exit(ended.stdout.decode()[-4000:] + "The tests must pass before anything is broken.")
        self._data = CoverageData(str(copy / ".coverage"))
        self._data.read()
        self._copy = copy
        self._seconds: dict[str, float] = {}
        for case in ElementTree.parse(report).iter("testcase"):
            name = f"{case.get('file')}::{case.get('name')}"
            self._seconds[name] = float(case.get("time", 0.0))

    def tests(self, mutant: Mutant) -> list[str]:
        """Give the tests that run a mutant's line, the quickest first, then the rest of their files."""
        by_line = self._data.contexts_by_lineno(str(self._copy / mutant.file))
        lines = range(mutant.line, max(0, mutant.line - MOST_LINES), -1)  # a statement's later lines may not be traced
        contexts: list[str] = next((by_line[line] for line in lines if line in by_line), [])
        tests = {context.split("|")[0] for context in contexts if context}
        if not tests and mutant.line in by_line:
            return WHAT_IMPORTS
        first = sorted(tests, key=lambda test: self._seconds.get(test, 0.0))
        return first + sorted({test.split("::")[0] for test in tests})


def _pytest(copy: Path, words: list[str], *, seconds: int) -> subprocess.CompletedProcess[bytes]:
    """Run tests in a copy; where what they share cannot be imported they fail, which pytest has no number for."""
    environment = {"PYTHONPATH": str(copy / "src"), "PATH": "/usr/bin:/bin:/usr/local/bin", "HOME": str(Path.home())}
    command = [sys.executable, "-m", "pytest", "-q", "-p", "no:cacheprovider", *words]
    ended = subprocess.run(command, cwd=copy, capture_output=True, timeout=seconds, env=environment)
    if ended.returncode == NOT_THERE and b"conftest.py" in ended.stderr:
        ended.returncode = min(FAILED)
    return ended


def noticed(mutant: Mutant, copy: Path, tests: list[str]) -> bool:
    """Say whether a test notices a mutant in a copy of the tree; one that never ends is noticed."""
    target = copy / mutant.file
    original = target.read_text()
    target.write_text(mutant.text)
    try:
        few = [test for test in tests if "::" in test]
        ended = _pytest(copy, ["-x", *few[:MOST_TESTS]], seconds=SECONDS).returncode if few else NOT_THERE
        if ended in FAILED or (ended == 0 and len(few) <= MOST_TESTS):
            return ended != 0
        whole = [test for test in tests if "::" not in test]  # too many to name, or a name that cannot be given
        return bool(whole) and _pytest(copy, ["-x", *whole], seconds=SECONDS).returncode in FAILED
    except subprocess.TimeoutExpired:
        print(f"never ended: {mutant.name}", flush=True)
        return True
    finally:
        target.write_text(original)


def _key_of(printed: str) -> tuple[str, ...]:
    """Read what tells a mutant apart from the line that was printed of it."""
    head, _, source = printed.removeprefix("SURVIVED: ").partition(" | ")
    file, _, words = head.split(":", 2)
    return (Path(file).name, words.strip(), source)


def main() -> None:
    """Make mutants, run the tests on each, and print the survivors."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--base")
    parser.add_argument("--sample", type=int, default=300)
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--jobs", type=int, default=2)
    parser.add_argument("--again", type=Path, metavar="LOG", help="only the survivors that an earlier run printed")
    arguments = parser.parse_args()
    mutants = [mutant for path in changed_files(arguments.base) for mutant in mutants_of(path)]
    chosen = random.Random(arguments.seed).sample(mutants, min(arguments.sample, len(mutants)))
    if arguments.again is not None:
        keys = {_key_of(line) for line in arguments.again.read_text().splitlines() if line.startswith("SURVIVED: ")}
        chosen = list({mutant.key: mutant for mutant in mutants if mutant.key in keys}.values())
    with tempfile.TemporaryDirectory() as folder:
        copies: Queue[Path] = Queue()
        for number in range(arguments.jobs):
            copy = Path(folder) / str(number)
            shutil.copytree(ROOT, copy, ignore=shutil.ignore_patterns(".venv", "node_modules", ".git", "data"))
            (copy / "node_modules").symlink_to(ROOT / "node_modules")
            copies.put(copy)

        reach = Reach(copies.queue[0], jobs=arguments.jobs)

        def run(mutant: Mutant) -> bool:
            copy = copies.get()
            try:
                killed = noticed(mutant, copy, reach.tests(mutant))
            finally:
                copies.put(copy)
            ended = "killed" if killed else "SURVIVED"
            print(f"{ended}: {mutant.name}", flush=True)
            return killed

        with ThreadPoolExecutor(arguments.jobs) as pool:
            ends = list(pool.map(run, chosen))
    alive = ends.count(False)
    print(f"{alive} of {len(ends)} mutants survived ({alive / max(1, len(ends)):.0%}), of {len(mutants)} there are.")


if __name__ == "__main__":
    main()
