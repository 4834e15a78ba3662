"""Seeded edits of figures and comparisons, each held against the tests of its own area; prints what survives.

    python tools/mutate.py [--count 200] [--seed 1] [--workers 2] [--only core/relay] [--edges]

An edit changes one number by a third, or turns one comparison round, in a file of `core/` or `job/`, or
changes one row of `knowledge/figures/`. It survives when the doctests of that file and the tests of its area
still pass: for `core/` those that import the edited module. `--edges` moves a comparison only at its edge
(`<` to `<=`), which tells nothing where two computed values are never equal. Numbers under a millionth are
left out: they guard a division.
"""

import argparse
import ast
import random
import re
import shutil
import subprocess
import sys
import tempfile
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from pathlib import Path
from queue import Queue

ROOT = Path(__file__).resolve().parent.parent
TIMEOUT_S = 180
# What only keeps a division or a logarithm from nothing says the same a third larger.
GUARDS_UNDER = 1e-6
TURNED = {ast.Lt: ">=", ast.LtE: ">", ast.Gt: "<=", ast.GtE: "<", ast.Eq: "!=", ast.NotEq: "=="}
EDGES = {ast.Lt: "<=", ast.LtE: "<", ast.Gt: ">=", ast.GtE: ">"}
SIGNS = {ast.Lt: "<", ast.LtE: "<=", ast.Gt: ">", ast.GtE: ">=", ast.Eq: "==", ast.NotEq: "!="}
# The tests of an area, by the start of the path; the first that fits counts.
AREAS = (
    ("core/", ("tests.core",)),
    ("knowledge/figures/", ("tests.core", "tests.job.test_verdicts")),
    ("job/", ("tests.job",)),
)
RUN = """
import doctest, importlib, os, sys, unittest
name, tests = sys.argv[1], sys.argv[2:]
loader, suite = unittest.TestLoader(), unittest.TestSuite()
if name:
    suite.addTests(doctest.DocTestSuite(importlib.import_module(name)))
for test in tests:
    folder = test.replace(".", "/")
    found = loader.discover(folder, top_level_dir=".") if os.path.isdir(folder) else None
    suite.addTests(found or loader.loadTestsFromName(test))
runner = unittest.TextTestRunner(stream=open(os.devnull, "w"), failfast=True)
sys.exit(not runner.run(suite).wasSuccessful())
"""


@dataclass(frozen=True)
class Edit:
    """One changed place of a file: what stood there, what stands there now."""

    path: Path
    line: int
    start: int
    old: str
    new: str

    def __str__(self) -> str:
        return f"{self.path}:{self.line + 1} {self.old} -> {self.new}"


def _other_number(value: float) -> str:
    if isinstance(value, int):
        return str(value + 1)
    return f"{value * 1.3:.6g}" if value else "0.5"


def edits_of_python(path: Path, swaps: dict[type, str]) -> list[Edit]:
    """Every number and comparison of a file, but none in a docstring."""
    source = path.read_text()
    rows, edits, relative = source.split("\n"), [], path.relative_to(ROOT / "frosty_piston")
    for node in ast.walk(ast.parse(source)):
        if (
            isinstance(node, ast.Constant)
            and isinstance(node.value, int | float)
            and not isinstance(node.value, bool)
        ):
            raw = rows[node.lineno - 1].encode()[node.col_offset : node.end_col_offset].decode()
            if 0 < abs(node.value) < GUARDS_UNDER:
                continue
            if raw.replace("_", "").replace(".", "").replace("e", "").replace("-", "").isdigit():
                edits.append(Edit(relative, node.lineno - 1, node.col_offset, raw, _other_number(node.value)))
        if isinstance(node, ast.Compare) and len(node.ops) == 1 and type(node.ops[0]) in swaps:
            left, right, kind = node.left, node.comparators[0], type(node.ops[0])
            if left.end_lineno == right.lineno and left.end_col_offset is not None:
                between = rows[right.lineno - 1].encode()[left.end_col_offset : right.col_offset].decode()
                sign = SIGNS[kind]
                if between.strip() == sign:
                    at = left.end_col_offset + between.index(sign)
                    edits.append(Edit(relative, right.lineno - 1, at, sign, swaps[kind]))
    return edits


def edits_of_figures(path: Path) -> list[Edit]:
    """Every general figure of a table of figures, and every point of its tables."""
    relative, edits = path.relative_to(ROOT / "frosty_piston"), []
    for number, row in enumerate(path.read_text().split("\n")):
        for match in re.finditer(r"general = (-?[\d.]+)", row):
            if float(match[1]):
                new = f"{float(match[1]) * 1.3:g}"
                edits.append(Edit(relative, number, match.start(1), match[1], new))
        for match in re.finditer(r"\[-?[\d.]+, ([\d.]+)\]", row):
            edits.append(Edit(relative, number, match.start(1), match[1], f"{float(match[1]) * 1.3 + 1:g}"))
    return edits


def all_edits(only: str, swaps: dict[type, str]) -> list[Edit]:
    package = ROOT / "frosty_piston"
    files = [*(package / "core").rglob("*.py"), *(package / "job").rglob("*.py")]
    edits = [e for path in sorted(files) for e in edits_of_python(path, swaps)]
    edits += [
        e
        for path in sorted((package / "knowledge" / "figures").glob("*.toml"))
        for e in edits_of_figures(path)
    ]
    return [e for e in edits if str(e.path).startswith(only)]


def tests_of(path: Path, folder: Path) -> tuple[str, ...]:
    """The tests of the area of a file."""
    if path.parts[0] == "core":
        name = ".".join(path.with_suffix("").parts)
        named = (name, f"    {path.stem},\n")
        all_of_core = sorted((folder / "tests" / "core").glob("test_*.py"))
        for_it = [t for t in all_of_core if any(n in t.read_text() for n in named)]
        if for_it:
            return tuple(f"tests.core.{t.stem}" for t in for_it)
    return next(tests for start, tests in AREAS if str(path).startswith(start))


def survives(edit: Edit, folder: Path) -> bool:
    """Whether the tests of its area still pass with the edit in place."""
    path = folder / "frosty_piston" / edit.path
    before = path.read_text()
    rows = before.split("\n")
    raw = rows[edit.line].encode()
    end = edit.start + len(edit.old.encode())
    rows[edit.line] = (raw[: edit.start] + edit.new.encode() + raw[end:]).decode()
    path.write_text("\n".join(rows))
    python = edit.path.suffix == ".py"
    module = ".".join(("frosty_piston", *edit.path.with_suffix("").parts)) if python else ""
    tests = tests_of(edit.path, folder)
    try:
        done = subprocess.run(
            [sys.executable, "-c", RUN, module, *tests], cwd=folder, timeout=TIMEOUT_S, capture_output=True
        )
        return done.returncode == 0
    except subprocess.TimeoutExpired:
        return False
    finally:
        path.write_text(before)


def main() -> int:
    parser = argparse.ArgumentParser(description=__doc__.splitlines()[0])
    parser.add_argument("--count", type=int, default=200)
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--workers", type=int, default=2)
    parser.add_argument("--only", default="", help="the start of a path under frosty_piston")
    parser.add_argument("--edges", action="store_true", help="move comparisons at their edge only")
    args = parser.parse_args()
    edits = all_edits(args.only, EDGES if args.edges else TURNED)
    random.Random(args.seed).shuffle(edits)
    picked, survivors = edits[: args.count], []
    folders: Queue[Path] = Queue()
    with tempfile.TemporaryDirectory() as root, ThreadPoolExecutor(args.workers) as pool:
        for n in range(args.workers):
            folder = Path(root) / str(n)
            for part in ("frosty_piston", "tests"):
                shutil.copytree(ROOT / part, folder / part, ignore=shutil.ignore_patterns("__pycache__"))
            folders.put(folder)

        def tried(edit: Edit) -> tuple[Edit, bool]:
            folder = folders.get()
            try:
                return edit, survives(edit, folder)
            finally:
                folders.put(folder)

        for number, (edit, lives) in enumerate(pool.map(tried, picked), 1):
            if number % 20 == 0:
                print(f"          {number} tried", flush=True)
            if lives:
                survivors.append(edit)
                print(f"survives  {edit}", flush=True)
    share = len(survivors) / max(1, len(picked))
    print(
        f"{len(survivors)} of {len(picked)} survive ({share:.0%}), seed {args.seed}, of {len(edits)} places"
    )
    return 0


if __name__ == "__main__":
    sys.exit(main())
