"""Seeded edits of figures and comparisons, each held against the tests that reach it; prints what survives.

    python tools/mutate.py [--count 200] [--seed 1] [--workers 2] [--only core/relay] [--not job] [--edges]

An edit changes one number by a third, or turns one comparison round, in a file of `core/` or `job/`, or
changes one row of `knowledge/figures/`. Which tests reach a line, and which ask for a figure, is measured
first (kept beside the checkout until a file changes). The tests run in a copy of the whole checkout; without
an edit they must all pass, or nothing is tried. An edit is killed when a test fails; a time-out is counted
apart and kills nothing. `--edges` moves a comparison only at its edge (`<` to `<=`), which tells nothing
where two computed values are never equal. Numbers under a millionth are left out: they guard a division.
"""

import argparse
import ast
import hashlib
import json
import random
import re
import shutil
import subprocess
import sys
import tempfile
from collections import Counter
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from pathlib import Path
from queue import Queue

ROOT = Path(__file__).resolve().parent.parent
MAP = ROOT / ".mutation.json"
TIMEOUT_S = 300
# Of the tests that reach a line those that reach least come first, as many as these seconds hold.
MOST_TESTS_S = 120.0
# What only keeps a division or a logarithm from nothing says the same a third larger.
GUARDS_UNDER = 1e-6
TURNED = {ast.Lt: ">=", ast.LtE: ">", ast.Gt: "<=", ast.GtE: "<", ast.Eq: "!=", ast.NotEq: "=="}
EDGES = {ast.Lt: "<=", ast.LtE: "<", ast.Gt: ">=", ast.GtE: ">"}
SIGNS = {ast.Lt: "<", ast.LtE: "<=", ast.Gt: ">", ast.GtE: ">=", ast.Eq: "==", ast.NotEq: "!="}
LEFT_OUT = shutil.ignore_patterns("__pycache__", ".venv", ".git", "data", ".mutation*", "*_cache")
SUITES = ("core", "job", "knowledge", "web")
# Crowds, fuzz and time-outs hold the server, not the figures, and take minutes.
SKIPPED = tuple(
    f"tests.web.test_{name}"
    for name in ("together", "crowd", "fuzz", "fuzz_routes", "hostile", "connection_limits", "once", "loop")
)
COLLECT = """
import doctest, importlib, pkgutil, unittest
import frosty_piston.core, frosty_piston.job

def collected():
    suite = unittest.TestSuite()
    for folder in SUITES:
        suite.addTests(unittest.TestLoader().discover(f"tests/{folder}", top_level_dir="."))
    found = {}
    def add(tests):
        for test in tests:
            if isinstance(test, unittest.TestSuite):
                add(test)
            elif type(test).__module__ not in SKIPPED:
                found[test.id() if not isinstance(test, doctest.DocTestCase) else "doc:" + test.id()] = test
    add(suite)
    for package in (frosty_piston.core, frosty_piston.job):
        for info in pkgutil.walk_packages(package.__path__, package.__name__ + "."):
            try:
                add(doctest.DocTestSuite(importlib.import_module(info.name)))
            except ValueError:
                pass
    return found
""".replace("SUITES", repr(SUITES)).replace("SKIPPED", repr(SKIPPED))
MEASURE = (
    COLLECT
    + """
import json, os, sys, time
import coverage
from frosty_piston.knowledge import figures

cov = coverage.Coverage(data_file=None, source=["frosty_piston/core", "frosty_piston/job"], messages=False)
cov.start()
asked, now = {}, [""]

def watched(cls, area):
    real = cls.__getattribute__
    def getting(self, name):
        asked.setdefault(f"{area}.{name}", set()).add(now[0])
        return real(self, name)
    cls.__getattribute__ = getting

for cls, area in figures.AREAS.items():
    watched(cls, area)
one = figures.Figures.one
def getting_one(self, figure, card):
    row = self.rows[figure]
    asked.setdefault(f"{row.area}.{figure}", set()).add(now[0])
    return one(self, figure, card)
figures.Figures.one = getting_one
took, failed = {}, []

class Result(unittest.TestResult):
    def startTest(self, test):
        now[0] = next(name for name, one in tests.items() if one is test)
        cov.switch_context(now[0])
        self.began = time.perf_counter()
    def stopTest(self, test):
        took[now[0]] = time.perf_counter() - self.began

tests, result = collected(), Result()
unittest.TestSuite(list(tests.values())).run(result)
cov.stop()
failed = [test.id() for test, _ in result.failures + result.errors]
data, lines = cov.get_data(), {}
for path in data.measured_files():
    named = os.path.relpath(path)
    by_line = data.contexts_by_lineno(path).items()
    lines[named] = {str(line): sorted(name for name in by if name) for line, by in by_line}
json.dump({"lines": lines, "asked": {k: sorted(v) for k, v in asked.items()}, "took": took, "failed": failed},
          open(sys.argv[1], "w"))
"""
)
RUN = (
    COLLECT
    + """
import os, sys
wanted, tests = sys.stdin.read().split("\\n"), collected()
suite = unittest.TestSuite(tests[name] for name in wanted if name in tests)
runner = unittest.TextTestRunner(stream=open(os.devnull, "w"), failfast=True)
sys.exit(not runner.run(suite).wasSuccessful())
"""
)


@dataclass(frozen=True)
class Edit:
    """One changed place of a file: what stood there, what stands there now; for a figure its name."""

    path: Path
    line: int
    start: int
    old: str
    new: str
    figure: str = ""

    def __str__(self) -> str:
        return f"{self.path}:{self.line + 1} {self.old} -> {self.new}"

    @property
    def area(self) -> str:
        """The room that it lies in."""
        return "/".join(self.path.parts[: 2 if self.path.parts[0] in ("job", "knowledge") else 1])


class Reached:
    """Which tests reach a line or ask for a figure, as measured."""

    def __init__(self, measured: dict) -> None:
        self.lines, self.asked, self.took = measured["lines"], measured["asked"], measured["took"]
        self.width = Counter(
            name for by_line in self.lines.values() for names in by_line.values() for name in names
        )

    def tests_of(self, edit: Edit) -> list[str]:
        """The tests that reach an edit, the most specific first, within the time that there is."""
        if edit.figure:
            names = set(self.asked.get(edit.figure, []))
        else:
            of_file = self.lines.get(f"frosty_piston/{edit.path}", {})
            names = set(of_file.get(str(edit.line + 1), []))
            if not names:  # a constant of the module: whoever reaches anything of the file
                names = {name for by in of_file.values() for name in by}
        chosen, seconds = [], 0.0
        for name in sorted(names - {""}, key=lambda name: (self.width[name], name)):
            seconds += self.took.get(name, 0.0)
            if chosen and seconds > MOST_TESTS_S:
                break
            chosen.append(name)
        return chosen


def signature() -> str:
    """What the measured map belongs to: every file of the package and of the tests that it ran."""
    files = [*(ROOT / "frosty_piston").rglob("*.py"), *(ROOT / "frosty_piston").rglob("*.toml")]
    files += [path for suite in SUITES for path in (ROOT / "tests" / suite).rglob("*.py")]
    return hashlib.sha256(b"".join(path.read_bytes() for path in sorted(files))).hexdigest()


def measured(folder: Path) -> dict:
    """Run every test once without an edit, in a copy, and keep what each reaches. Ends where one fails."""
    if MAP.exists() and (kept := json.loads(MAP.read_text()))["signature"] == signature():
        return kept
    out = folder / "measured.json"
    print("measuring which tests reach what ...", flush=True)
    subprocess.run([sys.executable, "-c", MEASURE, str(out)], cwd=folder, check=True)
    found = {**json.loads(out.read_text()), "signature": signature()}
    if found["failed"]:
        sys.exit("Without an edit these fail, so nothing was tried:\n" + "\n".join(found["failed"]))
    MAP.write_text(json.dumps(found))
    return found


def _other_number(value: float) -> str:
    if isinstance(value, int):
        return str(value + 1)
    return f"{value * 1.3:.6g}" if value else "0.5"


def edits_of_python(path: Path, swaps: dict[type, str]) -> list[Edit]:
    """Every number and comparison of a file, but none in a docstring."""
    source = path.read_text()
    rows, relative = source.split("\n"), path.relative_to(ROOT / "frosty_piston")
    edits: list[Edit] = []
    for node in ast.walk(ast.parse(source)):
        edits += _of_number(node, rows, relative) + _of_comparison(node, rows, relative, swaps)
    return edits


def _of_number(node: ast.AST, rows: list[str], relative: Path) -> list[Edit]:
    if not isinstance(node, ast.Constant) or type(node.value) not in (int, float):
        return []
    if 0 < abs(node.value) < GUARDS_UNDER:
        return []
    raw = rows[node.lineno - 1].encode()[node.col_offset : node.end_col_offset].decode()
    if not re.sub(r"[_.e-]", "", raw).isdigit():
        return []
    return [Edit(relative, node.lineno - 1, node.col_offset, raw, _other_number(node.value))]


def _of_comparison(node: ast.AST, rows: list[str], relative: Path, swaps: dict[type, str]) -> list[Edit]:
    if not isinstance(node, ast.Compare) or len(node.ops) != 1 or type(node.ops[0]) not in swaps:
        return []
    kind, left, right = type(node.ops[0]), node.left, node.comparators[0]
    if left.end_lineno != right.lineno or left.end_col_offset is None:
        return []
    between = rows[right.lineno - 1].encode()[left.end_col_offset : right.col_offset].decode()
    if between.strip() != SIGNS[kind]:
        return []
    at = left.end_col_offset + between.index(SIGNS[kind])
    return [Edit(relative, right.lineno - 1, at, SIGNS[kind], swaps[kind])]


def edits_of_figures(path: Path) -> list[Edit]:
    """Every general figure of a table of figures, and every point of its tables."""
    relative, edits = path.relative_to(ROOT / "frosty_piston"), []
    table = name = ""
    for number, row in enumerate(path.read_text().split("\n")):
        if begun := re.match(r"\[(\w+)", row):
            table = begun[1]
        if begun := re.match(r"(\w+) = [{\[]", row):
            name = f"{path.stem}.{table or begun[1]}"
        for match in re.finditer(r"general = (-?[\d.]+)", row):
            if float(match[1]):
                new = f"{float(match[1]) * 1.3:g}"
                edits.append(Edit(relative, number, match.start(1), match[1], new, name))
        for match in re.finditer(r"\[-?[\d.]+, ([\d.]+)\]", row):
            new = f"{float(match[1]) * 1.3 + 1:g}"
            edits.append(Edit(relative, number, match.start(1), match[1], new, name))
    return edits


def all_edits(only: str, without: str, swaps: dict[type, str]) -> list[Edit]:
    """Every place under `only` that could be changed, those under `without` left out."""
    package = ROOT / "frosty_piston"
    files = sorted([*(package / "core").rglob("*.py"), *(package / "job").rglob("*.py")])
    edits = [edit for path in files for edit in edits_of_python(path, swaps)]
    for path in sorted((package / "knowledge" / "figures").glob("*.toml")):
        edits += edits_of_figures(path)
    return [
        edit
        for edit in edits
        if str(edit.path).startswith(only) and not (without and str(edit.path).startswith(without))
    ]


def became(edit: Edit, tests: list[str], folder: Path) -> str:
    """What became of an edit: killed, survives, timed out, or not reached by any test."""
    if not tests:
        return "not reached"
    path = folder / "frosty_piston" / edit.path
    before = path.read_text()
    rows = before.split("\n")
    raw = rows[edit.line].encode()
    end = edit.start + len(edit.old.encode())
    rows[edit.line] = (raw[: edit.start] + edit.new.encode() + raw[end:]).decode()
    path.write_text("\n".join(rows))
    try:
        done = subprocess.run(
            [sys.executable, "-B", "-c", RUN],
            input="\n".join(tests).encode(),
            cwd=folder,
            timeout=TIMEOUT_S,
            capture_output=True,
        )
        return "survives" if done.returncode == 0 else "killed"
    except subprocess.TimeoutExpired:
        return "timed out"
    finally:
        path.write_text(before)


def main() -> int:
    parser = argparse.ArgumentParser(description=__doc__.splitlines()[0])
    parser.add_argument("--count", type=int, default=200)
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--workers", type=int, default=2)
    parser.add_argument("--only", default="", help="the start of a path under frosty_piston")
    parser.add_argument("--not", dest="without", default="", help="the start of a path that is left out")
    parser.add_argument("--edges", action="store_true", help="move comparisons at their edge only")
    args = parser.parse_args()
    edits = all_edits(args.only, args.without, EDGES if args.edges else TURNED)
    random.Random(args.seed).shuffle(edits)
    with tempfile.TemporaryDirectory() as root:
        folders: Queue[Path] = Queue()
        for number in range(args.workers):
            shutil.copytree(ROOT, Path(root) / str(number), ignore=LEFT_OUT)
            folders.put(Path(root) / str(number))
        reached = Reached(measured(Path(root) / "0"))
        report(edits[: args.count], reached, folders, args.workers)
    print(f"seed {args.seed}, {len(edits)} places")
    return 0


def report(picked: list[Edit], reached: Reached, folders: "Queue[Path]", workers: int) -> None:
    """Try every picked edit and print what was not killed, and the counts of each area."""

    def tried(edit: Edit) -> str:
        folder = folders.get()
        try:
            return became(edit, reached.tests_of(edit), folder)
        finally:
            folders.put(folder)

    counts: dict[str, Counter[str]] = {}
    with ThreadPoolExecutor(workers) as pool:
        for edit, what in zip(picked, pool.map(tried, picked), strict=True):
            counts.setdefault(edit.area, Counter())[what] += 1
            if what != "killed":
                print(f"{what:11} {edit}", flush=True)
    for area, by in [*sorted(counts.items()), ("all", sum(counts.values(), Counter()))]:
        lived = by["survives"] + by["not reached"]
        judged = by.total() - by["timed out"]
        timed = f", {by['timed out']} timed out" if by["timed out"] else ""
        print(f"{area:20} {lived} of {judged} survive ({lived / max(1, judged):.1%}){timed}")


if __name__ == "__main__":
    sys.exit(main())
